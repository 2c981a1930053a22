import type { GatheredFile, ProjectState, Told } from '@pendolo/api'
import { applyEdits, type Edit, emptyProject, type ProjectDoc } from '@pendolo/core/project'
import { flicks } from '@pendolo/core/time'
import fc from 'fast-check'
import { ProjectLine } from './line.ts'

const mark = (id: string, time = 0): Edit => ({ type: 'addMarks', marks: [{ id, time: flicks(time), kind: 'cue', name: id, hue: 0 }] })
const lead = (value: number): Edit => ({ type: 'settings', change: { lead: value } })

/** A server of one project: takes edits, keeps their events, and answers with its state. */
class Server {
  doc: ProjectDoc = emptyProject('cut')
  revision = 0
  seq = 100
  readonly events: Told[] = []
  files: GatheredFile[] = []

  edit(edits: Edit[], edit: string | null = null): number {
    const { doc, forward } = applyEdits(this.doc, edits)
    if (forward.length === 0) return this.revision
    this.doc = doc
    this.revision++
    this.#tell({
      type: 'project',
      projectId: 'p',
      revision: this.revision,
      author: '',
      label: 'x',
      over: [],
      edit,
      patches: JSON.parse(JSON.stringify(forward)),
      files: [],
      steps: { undo: `undo ${this.revision}`, redo: null },
    })
    return this.revision
  }

  file(id: string, tile: boolean): void {
    const file = { id, ready: { tile } } as GatheredFile
    this.files = [...this.files.filter((f) => f.id !== id), file]
    this.#tell({ type: 'file', projectId: 'p', file })
  }

  #tell(event: object): void {
    this.events.push({ ...event, seq: ++this.seq } as Told)
  }

  state(): ProjectState {
    const { doc, revision, seq, files } = this
    return { id: 'p', name: 'P', revision, doc, files, canUndo: null, canRedo: null, seq }
  }
}

const names = (line: ProjectLine) => (line.shown as ProjectState).doc.marks.map((m) => m.id)

test('events lead from revision to revision, and an edit of the page is shown before the server has it', () => {
  const server = new Server()
  const line = new ProjectLine()
  line.fetched(server.state())
  expect(line.begin('e1', [mark('mine')], 'drop')).toBe(true)
  expect(names(line)).toEqual(['mine'])
  expect(line.shown?.canUndo).toBe('drop')
  server.edit([mark('theirs')])
  const revision = server.edit([mark('mine')], 'e1')
  expect(line.heard(server.events[0])).toBe(true)
  expect(names(line).sort()).toEqual(['mine', 'theirs'])
  expect(line.accepted('e1', revision)).toBe(false)
  expect(line.heard(server.events[1])).toBe(true)
  expect(line.accepted('e1', revision)).toBe(true)
  expect(line.shown?.doc).toEqual(server.doc)
  expect(line.shown).toMatchObject({ revision: 2, canUndo: 'undo 2' })
})

test('when the server confirms just what was shown, nothing of the document is another object', () => {
  const server = new Server()
  const line = new ProjectLine()
  line.fetched(server.state())
  line.begin('e1', [mark('a')], 'x')
  line.begin('e2', [mark('b')], 'y')
  const before = line.shown?.doc
  for (const [id, name] of [
    ['e1', 'a'],
    ['e2', 'b'],
  ])
    server.edit([mark(name)], id)
  for (const event of server.events) line.heard(event)
  expect(line.shown?.doc).toBe(before)
})

test('what the server refuses goes, and what was made after it stays', () => {
  const server = new Server()
  const line = new ProjectLine()
  line.fetched(server.state())
  line.begin('bad', [mark('bad')], 'x')
  line.begin('good', [mark('good')], 'y')
  line.refused('bad')
  expect(names(line)).toEqual(['good'])
  expect(() => line.begin('worse', [{ type: 'removeCut', cutId: 'cut' }], 'z')).toThrow(/last version/)
  // One that changes nothing any more when it arrives has no event to wait for.
  server.edit([lead(5)])
  line.heard(server.events[0])
  line.begin('same', [lead(6)], 'lead')
  server.edit([lead(6)])
  line.heard(server.events[1])
  expect(line.accepted('same', server.edit([lead(6)], 'same'))).toBe(true)
  expect(line.shown?.doc.settings.lead).toBe(6)
})

test('a missed event is a gap; the state that is asked for then, and events on the way, make it whole', () => {
  const server = new Server()
  const line = new ProjectLine()
  line.fetched(server.state())
  server.edit([mark('a')])
  server.edit([mark('b')])
  expect(line.heard(server.events[1])).toBe(false)
  const answer = server.state()
  server.edit([mark('c')])
  line.heard(server.events[2])
  expect(line.fetched(answer)?.doc).toEqual(server.doc)
})

test('at whatever instant the state is read and whenever its answer comes, the page ends with what the server has', () => {
  fc.assert(
    fc.property(
      fc.array(
        fc.oneof(
          fc.constant('edit'),
          fc.constant('own'),
          fc.constant('file'),
          fc.constant('ask'),
          fc.constant('answer'),
          fc.constant('hear'),
          fc.constant('lose'),
        ),
        { maxLength: 40 },
      ),
      (steps) => {
        const server = new Server()
        const line = new ProjectLine()
        const answers: ProjectState[] = []
        let heard = 0
        let made = 0
        const hear = () => {
          if (heard < server.events.length) line.heard(server.events[heard++])
        }
        const take = (answer: ProjectState | undefined) => answer && line.fetched(answer)
        for (const step of steps) {
          if (step === 'edit') server.edit([mark(`s${made++}`)])
          if (step === 'own' && line.shown) {
            const id = `o${made++}`
            line.begin(id, [mark(id)], 'x')
            line.accepted(id, server.edit([mark(id)], id))
          }
          if (step === 'file') server.file(`f${made % 3}`, made++ % 2 === 0)
          if (step === 'ask') answers.push(server.state())
          if (step === 'answer') take(answers.shift())
          if (step === 'hear') hear()
          // A break in the stream: what was told is lost, and the page asks when it is open again.
          if (step === 'lose') heard = server.events.length
        }
        while (heard < server.events.length) hear()
        // Answers of before may still come late, in their order.
        for (const answer of answers) line.fetched(answer)
        for (let n = 0; n < 3; n++) line.fetched(server.state())
        expect(line.shown?.doc).toEqual(server.doc)
        expect(line.shown?.revision).toBe(server.revision)
        expect(new Map(line.shown?.files.map((f) => [f.id, f.ready.tile]))).toEqual(new Map(server.files.map((f) => [f.id, f.ready.tile])))
      },
    ),
    { numRuns: 400 },
  )
})

test('a reload at any instant misses nothing: events before and after the answer are each counted once', () => {
  for (let asked = 0; asked <= 20; asked++)
    for (let answered = asked; answered <= 20; answered++) {
      const server = new Server()
      const line = new ProjectLine()
      let answer: ProjectState | null = null
      for (let n = 0; n <= 20; n++) {
        if (n === asked) answer = server.state()
        if (n === answered) expect(line.fetched(answer as ProjectState)).not.toBeNull()
        if (n === 20) break
        if (n % 3 === 2) server.file('f', n > 10)
        else server.edit([mark(`m${n}`)])
        // The stream is open from the first instant on.
        expect(line.heard(server.events[n])).toBe(true)
      }
      expect(line.shown?.doc).toEqual(server.doc)
      expect(line.shown?.files).toEqual(server.files)
    }
})

test('two pages that edit at once, whatever comes when, end with what the server has', () => {
  const edit = fc.oneof(
    fc.tuple(fc.constantFrom('m1', 'm2', 'm3'), fc.nat(50)).map(([id, time]) => mark(id, time)),
    fc.constantFrom('m1', 'm2', 'm3').map((id): Edit => ({ type: 'removeMarks', markIds: [id] })),
    fc.tuple(fc.constantFrom('m1', 'm2'), fc.nat(50)).map(([markId, time]): Edit => ({ type: 'changeMark', markId, change: { time: flicks(time) } })),
    fc.integer({ min: -3, max: 3 }).map(lead),
    fc.tuple(fc.nat(30), fc.nat(30)).map(([from, length]): Edit => ({ type: 'leaveOut', cutId: 'cut', from: flicks(from), to: flicks(from + length + 1) })),
    fc.constantFrom<Edit>({ type: 'wholeMaster', cutId: 'cut' }, { type: 'keep', start: flicks(3) }),
  )
  const step = fc.oneof(
    { weight: 3, arbitrary: fc.record({ do: fc.constant('edit' as const), who: fc.nat(1), edit }) },
    { weight: 2, arbitrary: fc.record({ do: fc.constant('arrive' as const), who: fc.nat(1) }) },
    { weight: 3, arbitrary: fc.record({ do: fc.constant('hear' as const), who: fc.nat(1) }) },
  )
  fc.assert(
    fc.property(fc.array(step, { maxLength: 40 }), (steps) => {
      const server = new Server()
      const pages = [0, 1].map(() => ({ line: new ProjectLine(), waiting: [] as { id: string; edits: Edit[] }[], heard: 0 }))
      for (const { line } of pages) line.fetched(server.state())
      let made = 0
      const arrive = (who: number) => {
        const page = pages[who]
        const next = page.waiting.shift()
        if (!next) return
        try {
          page.line.accepted(next.id, server.edit(next.edits, next.id))
        } catch {
          page.line.refused(next.id)
        }
      }
      const hear = (who: number) => {
        const page = pages[who]
        const event = server.events[page.heard]
        if (!event) return
        page.heard++
        expect(page.line.heard(event)).toBe(true)
      }
      for (const s of steps) {
        if (s.do === 'arrive') arrive(s.who)
        else if (s.do === 'hear') hear(s.who)
        else {
          const id = `e${made++}`
          try {
            if (pages[s.who].line.begin(id, [s.edit], 'x')) pages[s.who].waiting.push({ id, edits: [s.edit] })
          } catch {
            // It does not fit what this page shows.
          }
        }
      }
      for (const who of [0, 1]) while (pages[who].waiting.length > 0) arrive(who)
      for (const who of [0, 1]) while (pages[who].heard < server.events.length) hear(who)
      const plain = (doc: ProjectDoc | undefined) => JSON.parse(JSON.stringify(doc)) as ProjectDoc
      for (const { line } of pages) {
        expect(plain(line.shown?.doc)).toEqual(plain(server.doc))
        expect(line.revision).toBe(server.revision)
      }
    }),
    {
      numRuns: 400,
      // What changes nothing by the time it arrives has no event: it is over with the revision that the server named.
      examples: [
        [
          [
            { do: 'edit', who: 1, edit: { type: 'keep', start: flicks(3) } },
            { do: 'edit', who: 0, edit: { type: 'keep', start: flicks(3) } },
            { do: 'edit', who: 1, edit: { type: 'wholeMaster', cutId: 'cut' } },
          ],
        ],
      ],
    },
  )
})
