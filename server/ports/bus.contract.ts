import type { ServerEvent } from '@pendolo/api'
import type { EventBus } from './bus.ts'

const about = (projectId: string): ServerEvent => ({ type: 'files', projectId })

/** What any bus must do. @param open a bus of a process that starts now */
export function busContract(name: string, open: () => EventBus): void {
  describe(name, () => {
    test('each listener hears all that is sent while it listens, once, in order and with its number', () => {
      const bus = open()
      const heard: [string, number][] = []
      const first = bus.seq
      bus.send(about('before'))
      const stop = bus.listen((event, seq) => heard.push([(event as { projectId: string }).projectId, seq]))
      for (const id of ['a', 'b', 'c']) bus.send(about(id))
      stop()
      stop()
      bus.send(about('after'))
      expect(heard).toEqual([
        ['a', first + 2],
        ['b', first + 3],
        ['c', first + 4],
      ])
      expect(bus.seq).toBe(first + 5)
    })

    test('the same function may listen twice, and ends once for each', () => {
      const bus = open()
      let heard = 0
      const count = () => void heard++
      const stops = [bus.listen(count), bus.listen(count)]
      bus.send(about('p'))
      expect(heard).toBe(2)
      stops[0]()
      bus.send(about('p'))
      expect(heard).toBe(3)
    })

    test('what is sent while an event is told comes after it, and who stops then hears no more', () => {
      const bus = open()
      const heard: number[] = []
      const stop = bus.listen((_, seq) => {
        heard.push(seq)
        if (heard.length === 1) bus.send(about('again'))
        else stop()
      })
      const first = bus.seq
      bus.send(about('p'))
      bus.send(about('p'))
      expect(heard).toEqual([first + 1, first + 2])
    })

    test('numbers of a later process are higher', async () => {
      const before = open()
      before.send(about('p'))
      await new Promise((resolve) => setTimeout(resolve, 5))
      expect(open().seq).toBeGreaterThan(before.seq)
    })
  })
}
