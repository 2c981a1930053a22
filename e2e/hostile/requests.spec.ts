import { execFileSync } from 'node:child_process'
import { copyFileSync } from 'node:fs'
import { request } from 'node:http'
import path from 'node:path'
import { EDIT_TYPES } from '@pendolo/core/project'
import { expect, test } from '@playwright/test'
import fc from 'fast-check'
import { scratch, TestServer } from '../server.ts'
import { ffmpeg, wholeFiles } from './files.ts'

const FLICK = 705_600_000
const HOSTILE = ['__proto__', 'constructor', 'toString', 'hasOwnProperty', '__defineGetter__', '', 'x'.repeat(65), 'a\u0000b']

interface Doc {
  angles: { id: string }[]
  clips: Record<string, { id: string; fileId: string }>
  placements: Record<string, { start: number }>
  cuts: { id: string }[]
  master: { clipIds: string[] }
  marks: unknown[]
  pulse: unknown
}

let server: TestServer
let roots: string
let id: string
let doc: Doc

test.beforeAll(async () => {
  roots = scratch('roots')
  copyFileSync(path.join(wholeFiles(), 'whole.wav'), path.join(roots, 'master-mix.wav'))
  copyFileSync(path.join(wholeFiles(), 'whole.mp4'), path.join(roots, 'cam.mp4'))
  server = new TestServer(roots, ['start'], scratch('home'), { NODE_OPTIONS: `--import ${path.join(import.meta.dirname, 'freeze.mjs')}` })
  await server.start()
  ;({ id } = await server.api<{ id: string }>('/projects', { name: 'Hostile' }))
  await server.api(`/projects/${id}/gather`, { paths: [path.join(roots, 'master-mix.wav'), path.join(roots, 'cam.mp4')] })
  await server.idle()
  doc = (await server.api<{ doc: Doc }>(`/projects/${id}`)).doc
})
test.afterAll(() => server.kill())

interface Answer {
  status: number
  type: string
  text: string
}

/** Plain HTTP without the headers that fetch adds by itself. */
function ask(method: string, target: string, body?: string | null, headers: Record<string, string> = { 'content-type': 'application/json' }): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const call = request(`${server.url}${target}`, { method, headers }, (response) => {
      const chunks: Buffer[] = []
      response.on('data', (c) => chunks.push(c))
      response.on('end', () =>
        resolve({ status: response.statusCode ?? 0, type: response.headers['content-type'] ?? '', text: Buffer.concat(chunks).toString('utf8') }),
      )
    })
    call.on('error', reject)
    call.end(body ?? undefined)
  })
}

const edits = (list: unknown, project = id) => ask('POST', `/api/projects/${project}/edits`, JSON.stringify({ edits: list }))

function refused(answer: Answer, why = ''): void {
  expect(answer.status, `${why} ${answer.text.slice(0, 300)}`).toBeGreaterThanOrEqual(400)
  expect(answer.status, `${why} ${answer.text.slice(0, 300)}`).toBeLessThan(500)
  expect(answer.type).toMatch(/^application\/problem\+json/)
  expect(JSON.parse(answer.text)).toMatchObject({ title: expect.stringMatching(/./), detail: expect.stringMatching(/./), status: answer.status })
}

test('names that every object has are no ids, in no edit; what stands in the project stays, and other projects too', async () => {
  const cut = doc.cuts[0].id
  const angle = doc.angles[0].id
  const placement = { start: 0, rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: '', locked: true }
  const other = (await server.api<{ id: string }>('/projects', { name: 'Other' })).id
  const before = await server.api(`/projects/${id}`)
  for (const bad of HOSTILE) {
    const own = (text: string) => JSON.parse(`{${JSON.stringify(text)}:0}`) as object
    const keyed = (value: unknown) => Object.defineProperty({}, bad, { value, enumerable: true })
    for (const edit of [
      { type: 'lock', clipIds: [bad], locked: true },
      { type: 'accept', clipIds: [bad] },
      { type: 'park', clipIds: [bad], parked: true },
      { type: 'clipPoint', clipId: bad, point: 'mark', time: 0 },
      { type: 'placeByPoint', clipIds: [bad], point: 'mark' },
      { type: 'setMaster', clipId: bad },
      { type: 'strip', clipId: bad, change: { on: true } },
      { type: 'strip', clipId: Object.keys(doc.clips)[0], change: own(bad || 'x') },
      { type: 'moveClips', clipIds: [bad], angle: { id: angle } },
      { type: 'moveClips', clipIds: Object.keys(doc.clips), angle: { id: bad } },
      { type: 'moveClips', clipIds: Object.keys(doc.clips), angle: { id: bad, name: 'x', hue: 0, framing: 'fit' } },
      { type: 'setAside', clipIds: [bad], aside: true },
      { type: 'nudge', clipIds: [bad], by: 1 },
      { type: 'addClips', angles: [{ id: bad, name: 'x', hue: 0, framing: 'fit' }], clips: [] },
      { type: 'addClips', angles: [], clips: [{ id: bad, fileId: Object.values(doc.clips)[0].fileId, angleId: null, state: 'in' }] },
      { type: 'addMarks', marks: [{ id: bad, time: 0, kind: 'cue', name: '', hue: 0 }] },
      { type: 'addMarks', marks: [{ id: 'm', time: 0, kind: 'cue', name: '', hue: 0, clipId: bad }] },
      { type: 'changeMark', markId: bad, change: { name: 'x' } },
      { type: 'standMarks', markIds: [bad], clipId: null },
      { type: 'removeMarks', markIds: [bad] },
      { type: 'choose', cutId: bad, time: 0, choice: { angleId: angle } },
      { type: 'choose', cutId: cut, time: 0, choice: { angleId: bad } },
      { type: 'choose', cutId: cut, time: 0, choice: { angleId: angle, clipId: bad } },
      { type: 'addCut', cutId: bad, name: 'x', from: null },
      { type: 'addCut', cutId: 'new', name: 'x', from: bad },
      { type: 'removeCut', cutId: bad },
      { type: 'activeCut', cutId: bad },
      { type: 'angleDistance', angleId: bad, metres: 1 },
      { type: 'correctPulse', act: { do: bad } },
      { type: 'place', by: 'hand', placements: keyed(placement), loose: {} },
      { type: 'place', by: 'search', placements: {}, loose: keyed('why') },
      { type: bad },
    ])
      refused(await edits([edit]), `${JSON.stringify(bad).slice(0, 30)} ${edit.type}`)
  }
  expect(await server.api(`/projects/${id}`)).toEqual(before)
  const clean = await server.api<{ doc: Doc }>(`/projects/${other}`)
  expect(clean.doc.placements).toEqual({})
  const pulse = { tempoBpm: 120, metre: 4, confidence: 1, beats: [0, FLICK], downbeats: [0] }
  expect((await edits([{ type: 'setPulse', pulse }], other)).status).toBe(200)
  expect((await edits([{ type: 'correctPulse', act: { do: 'shift', by: 5 } }], other)).status).toBe(200)
})

test('lists are checked to their end, states and ids against what there is, and every number has a bound', async () => {
  const clips = Object.keys(doc.clips)
  const { fileId } = doc.clips[clips[0]]
  const many = Object.fromEntries(Array.from({ length: 10_001 }, (_, i) => [`c${i}`, i === 10_000 ? 5 : 'why']))
  const clip = (change: object) => ({ type: 'addClips', angles: [], clips: [{ id: 'new', fileId, angleId: null, state: 'in', ...change }] })
  for (const edit of [
    { type: 'place', by: 'search', placements: {}, loose: many },
    clip({ state: 'anything' }),
    clip({ id: clips[0] }),
    clip({ fileId: 'no-such-file' }),
    clip({ angleId: 'no-such-angle' }),
    { type: 'addClips', angles: [{ id: doc.angles[0].id, name: 'Twice', hue: 0, framing: 'fit' }], clips: [] },
    { type: 'keep', start: -1e15, end: 1e15 },
    { type: 'keep', start: 5, end: 4 },
    { type: 'nudge', clipIds: [clips[0]], by: 9e15 },
    { type: 'addMarks', marks: [{ id: 'far', time: 1e16, kind: 'cue', name: '', hue: 0 }] },
    { type: 'addMarks', marks: [{ id: 'half', time: 0.5, kind: 'cue', name: '', hue: 0 }] },
    { type: 'settings', change: { width: 1e9 } },
    {
      type: 'place',
      by: 'hand',
      placements: { 'no-such-clip': { start: 0, rate: 1, method: 'hand', verdict: 'sure', confidence: 1, why: '', locked: false } },
      loose: {},
    },
  ])
    refused(await edits([edit]), JSON.stringify(edit).slice(0, 120))
  // A lock keeps its clip, but nudges cannot carry an open one out of reach either.
  expect((await edits([{ type: 'lock', clipIds: [doc.master.clipIds[0]], locked: false }])).status).toBe(200)
  const week = 7 * 86_400 * FLICK
  expect((await edits([{ type: 'nudge', clipIds: [doc.master.clipIds[0]], by: week }])).status).toBe(200)
  refused(await edits([{ type: 'nudge', clipIds: [doc.master.clipIds[0]], by: 1 }]))
  expect((await ask('POST', `/api/projects/${id}/undo`, '{}')).status).toBe(200)
  // The film of a head and tail far outside ends with what was recorded, and a minute.
  expect((await edits([{ type: 'keep', start: -6 * 86_400 * FLICK, end: 6 * 86_400 * FLICK }])).status).toBe(200)
  const edl = await ask('GET', `/api/projects/${id}/exchange/edl`)
  const last = [...edl.text.matchAll(/(\d\d):(\d\d):(\d\d):(\d\d)\r?$/gm)].pop()
  expect(Number(last?.[1])).toBe(0)
  expect(Number(last?.[2])).toBeLessThan(2)
  expect((await ask('POST', `/api/projects/${id}/undo`, '{}')).status).toBe(200)
})

test('requests that another site could send, bodies nested without end, odd names and ranges are refused in words', async () => {
  refused(await ask('POST', `/api/projects/${id}/undo`, null, {}))
  refused(await ask('POST', `/api/jobs/x/cancel`, 'a=b', { 'content-type': 'application/x-www-form-urlencoded' }))
  refused(await ask('POST', `/api/projects/${id}/undo`, null, { 'sec-fetch-site': 'cross-site' }))
  refused(await ask('POST', `/api/projects/${id}/undo`, null, { 'sec-fetch-site': 'same-site' }))
  expect((await ask('POST', `/api/projects/${id}/redo`, null, { 'sec-fetch-site': 'same-origin' })).status).toBe(200)
  expect((await ask('POST', `/api/projects/${id}/redo`, null, { 'x-author': 'script' })).status).toBe(200)
  const deep = `${'['.repeat(100_000)}${']'.repeat(100_000)}`
  refused(await ask('POST', '/api/projects', deep))
  refused(await ask('POST', '/api/projects', `{"name":${'{"a":'.repeat(70)}1${'}'.repeat(70)}}`))
  for (const name of [5, null, ['x'], { x: 1 }, true, '', '   ', 'x'.repeat(121)])
    refused(await ask('POST', '/api/projects', JSON.stringify({ name })), JSON.stringify(name).slice(0, 20))
  for (const paths of [[5], [null], 'x', [''], ['/etc/passwd'], [`${roots}\0x`], ['x'.repeat(5000)]])
    refused(await ask('POST', `/api/projects/${id}/gather`, JSON.stringify({ paths })))
  const { files } = await server.api<{ files: { contentKey: string }[] }>(`/projects/${id}`)
  const media = `/api/media/${files[0].contentKey}/peaks`
  expect((await ask('GET', media, null, { range: 'bytes=0-3' })).status).toBe(206)
  const beyond = await ask('GET', media, null, { range: 'bytes=999999999-' })
  expect(beyond.status).toBe(416)
  expect(beyond.type).toMatch(/problem\+json/)
})

test('random JSON to every route is never a fault of the server, and always answered as a problem', async () => {
  const routes: [string, string][] = [
    ['POST', '/api/projects'],
    ['PATCH', `/api/projects/${id}`],
    ['POST', `/api/projects/${id}/edits`],
    ['POST', `/api/projects/${id}/gather`],
    ['POST', `/api/projects/${id}/upload`],
    ['POST', `/api/projects/${id}/look`],
    ['POST', `/api/projects/${id}/take`],
    ['POST', `/api/projects/${id}/lineup`],
    ['POST', `/api/projects/${id}/pulse`],
    ['POST', `/api/projects/${id}/film`],
    ['POST', '/api/projects/none/find-again'],
    ['POST', '/api/projects/none/undo'],
    ['POST', '/api/jobs/none/retry'],
    ['GET', '/api/folder?path=%00'],
    ['GET', `/api/projects/${id}/proofs/__proto__`],
    ['GET', `/api/projects/${id}/exchange/constructor`],
    ['GET', '/api/media/constructor/tile'],
    ['GET', '/api/projects/__proto__'],
    ['PUT', '/api/projects'],
    ['GET', '/api/jobs?project[]=1&project=2'],
  ]
  // Words of the contract make what is random likely to be looked at further.
  const word = fc.constantFrom(
    'edits',
    'type',
    'name',
    'paths',
    'clipIds',
    'choice',
    'time',
    'marks',
    'pulse',
    'act',
    '__proto__',
    'constructor',
    'placements',
    'angle',
    'id',
    'by',
    'width',
  )
  const value = fc.letrec((tie) => ({
    any: fc.oneof(
      { maxDepth: 4 },
      fc.jsonValue(),
      word,
      fc.constantFrom(1e308, -1, 0, 2 ** 53, 'choose', 'addMarks', 'place', 'found', 'settings', id),
      tie('list'),
      tie('object'),
    ),
    list: fc.array(tie('any'), { maxLength: 4 }),
    object: fc.dictionary(fc.oneof(word, fc.string()), tie('any'), { maxKeys: 5 }),
  }))
  const edit = fc.tuple(fc.constantFrom(...EDIT_TYPES), value.object).map(([type, rest]) => ({ edits: [{ ...(rest as object), type }] }))
  await fc.assert(
    fc.asyncProperty(fc.constantFrom(...routes), fc.oneof(value.any, edit), async ([method, target], body) => {
      const answer = await ask(method, target, method === 'GET' ? null : JSON.stringify(body))
      expect(answer.status, `${method} ${target} ${JSON.stringify(body).slice(0, 200)}: ${answer.text.slice(0, 200)}`).toBeLessThan(500)
      if (answer.status >= 400) expect(answer.type).toMatch(/^application\/problem\+json/)
    }),
    {
      numRuns: 600,
      // These once were faults of the server.
      examples: [
        [['POST', '/api/projects'], { constructor: 'edits' }],
        [['POST', '/api/projects'], JSON.parse('{"__proto__":{}}')],
      ],
    },
  )
  expect(server.said).not.toMatch(/request failed|fault that nobody caught/)
  expect(server.alive).toBe(true)
})

/** The head of a wave file of 16 bits at 48 kHz. */
function writeHeader(file: Buffer, channels: number): void {
  file.write('RIFF', 0, 'latin1')
  file.writeUInt32LE(file.length - 8, 4)
  file.write('WAVEfmt ', 8, 'latin1')
  file.writeUInt32LE(16, 16)
  file.writeUInt16LE(1, 20)
  file.writeUInt16LE(channels, 22)
  file.writeUInt32LE(48000, 24)
  file.writeUInt32LE(48000 * 2 * channels, 28)
  file.writeUInt16LE(2 * channels, 32)
  file.writeUInt16LE(16, 34)
  file.write('data', 36, 'latin1')
  file.writeUInt32LE(file.length - 44, 40)
}

test('recorders of 17 to 64 channels, and one unreadable clip, do not stop a line-up', async () => {
  const { id: night } = await server.api<{ id: string }>('/projects', { name: 'Channels' })
  const folder = path.join(roots, 'channels')
  const { mkdirSync, readFileSync, writeFileSync } = await import('node:fs')
  mkdirSync(folder, { recursive: true })
  const sound = `0.4*sin(2*PI*(200+37*floor(mod(t*3,11)))*t)*exp(-mod(t,0.333)*5)+0.1*random(0)`
  ffmpeg('-f', 'lavfi', '-i', `aevalsrc='${sound}':s=48000:d=20`, path.join(folder, 'desk-mix.wav'))
  const counts = [3, 8, 16, 17, 18, 20, 32, 40, 64]
  const mono = execFileSync('ffmpeg', ['-v', 'error', '-ss', '4', '-t', '12', '-i', path.join(folder, 'desk-mix.wav'), '-f', 's16le', 'pipe:1'], {
    maxBuffer: 1 << 24,
  })
  for (const n of counts) {
    // Written by hand: what mixes channels knows no layout of seventeen.
    const channels = Buffer.alloc(44 + (mono.length / 2) * 2 * n)
    for (let i = 0; i < mono.length / 2; i++)
      for (let c = 0; c < n; c++) channels.writeInt16LE(Math.round(mono.readInt16LE(2 * i) * (c % 3 ? 0.01 : 0.6)), 44 + 2 * (i * n + c))
    writeHeader(channels, n)
    writeFileSync(path.join(folder, `rec${n}.wav`), channels)
  }
  const whole = readFileSync(path.join(wholeFiles(), 'whole.mov'))
  writeFileSync(path.join(folder, 'hurt.mov'), whole.fill(0xff, 60_000, 600_000))
  await server.api(`/projects/${night}/gather`, { paths: [folder] })
  const settled = async () => {
    const jobs = await server.api<{ state: string; kind: string }[]>(`/jobs?project=${night}`)
    return jobs.some((j) => j.state === 'queued' || j.state === 'running') ? null : jobs
  }
  await expect.poll(settled, { timeout: 120_000 }).not.toBeNull()
  await server.api(`/projects/${night}/lineup`, {})
  await expect.poll(settled, { timeout: 120_000 }).not.toBeNull()
  const state = await server.api<{ doc: Doc; files: { id: string; name: string }[] }>(`/projects/${night}`)
  const placed = (name: string) => {
    const file = state.files.find((f) => f.name === name)
    const clip = Object.values(state.doc.clips).find((c) => c.fileId === file?.id)
    return (state.doc.placements[clip?.id ?? '']?.start ?? Number.NaN) / FLICK
  }
  for (const n of counts) expect(placed(`rec${n}.wav`), `${n} channels`).toBeCloseTo(4, 2)
})
