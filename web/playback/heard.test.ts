import { heardAt } from './heard.ts'

const context = (stamp: AudioTimestamp) => ({ currentTime: 5, baseLatency: 0.01, getOutputTimestamp: () => stamp }) as AudioContext

test('what is heard goes on from what the browser told last', () => {
  expect(heardAt(context({ contextTime: 4.96, performanceTime: 2000 }), 2030)).toBeCloseTo(4.99, 9)
})

test('it does not run on without sound being computed', () => {
  expect(heardAt(context({ contextTime: 4.96, performanceTime: 2000 }), 9000)).toBeCloseTo(5.25, 9)
})

test.each([{}, { contextTime: 0, performanceTime: 2000 }, { contextTime: 4.96, performanceTime: 0 }, { contextTime: 4.96 }])(
  'as long as the browser does not know when it was heard, the stated delay counts: %j',
  (stamp) => {
    expect(heardAt(context(stamp), 2000)).toBeCloseTo(4.99, 9)
  },
)
