import { readFileSync } from 'node:fs'
import { request } from 'node:http'
import path from 'node:path'
import type { ProjectState } from '@pendolo/api'
import { makeMedia, showFolder, TONE, testConfig, testWorkshop } from '../testing.ts'
import { type Serving, serve } from './serve.ts'

const config = testConfig()
let serving: Serving

beforeAll(async () => {
  serving = await serve(await testWorkshop(config), 0)
})
afterAll(() => serving.close())

interface Answer {
  status: number
  type: string
  body: unknown
}

/** Plain HTTP, since fetch sets Host and Origin by itself. */
function ask(method: string, target: string, options: { headers?: Record<string, string>; body?: string } = {}): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const call = request(
      {
        host: '127.0.0.1',
        port: serving.port,
        method,
        path: target,
        headers: { ...(options.body !== undefined && { 'content-type': 'application/json' }), ...options.headers },
      },
      (response) => {
        const chunks: Buffer[] = []
        response.on('data', (c) => chunks.push(c))
        response.on('end', () => {
          const text = Buffer.concat(chunks).toString('utf8')
          let body: unknown = text
          if (/json/.test(response.headers['content-type'] ?? '')) body = JSON.parse(text)
          resolve({ status: response.statusCode ?? 0, type: response.headers['content-type'] ?? '', body })
        })
      },
    )
    call.on('error', reject)
    call.end(options.body)
  })
}
const post = (target: string, body: unknown) => ask('POST', target, { body: JSON.stringify(body) })
const project = async () => ((await post('/api/projects', { name: 'Test' })).body as { id: string }).id
/** Drops files: copies them, then has them taken. */
async function dropped(id: string, form: FormData): Promise<void> {
  const copied = await fetch(`http://127.0.0.1:${serving.port}/api/projects/${id}/upload`, { method: 'POST', body: form })
  expect(copied.status).toBe(200)
  expect(await post(`/api/projects/${id}/take`, await copied.json())).toMatchObject({ status: 200 })
}
const stateOf = async (id: string) => (await ask('GET', `/api/projects/${id}`)).body as ProjectState

describe('who may ask', () => {
  test('only this machine’s own names and pages', async () => {
    expect((await ask('GET', '/api/health')).status).toBe(200)
    expect((await ask('GET', '/api/health', { headers: { host: `localhost:${serving.port}` } })).status).toBe(200)
    for (const host of ['evil.example', `evil.example:${serving.port}`, `127.0.0.1:${serving.port + 1}`])
      expect((await ask('GET', '/api/health', { headers: { host } })).status).toBe(403)
    for (const origin of ['http://evil.example', `http://127.0.0.1:${serving.port + 1}`, 'null'])
      expect((await ask('POST', '/api/projects', { headers: { origin }, body: '{"name":"x"}' })).status).toBe(403)
    expect((await ask('POST', '/api/projects', { headers: { origin: `http://127.0.0.1:${serving.port}` }, body: '{"name":"x"}' })).status).toBe(201)
    expect((await ask('POST', '/api/projects', { headers: { 'sec-fetch-site': 'cross-site' }, body: '{"name":"x"}' })).status).toBe(403)
  })

  test('folders outside the roots stay closed', async () => {
    for (const folder of ['/etc', path.join(showFolder(config), '..'), '']) {
      const answer = await ask('GET', `/api/folder?path=${encodeURIComponent(folder || '/')}`)
      expect(answer.status).toBe(403)
    }
    const id = await project()
    expect((await post(`/api/projects/${id}/gather`, { paths: ['/etc/passwd'] })).status).toBe(403)
  })

  test('light copies are asked for by content only', async () => {
    for (const name of [
      '/api/media/..%2f..%2fpendolo.db/tile',
      '/api/media/0123456789abcdef0123456789abcdef/..%2ftile',
      '/api/media/0123456789abcdef0123456789abcdef/toString',
      '/api/media/0123456789abcdef0123456789abcdef/tile',
    ]) {
      expect((await ask('GET', name)).status).toBe(404)
    }
  })
})

describe('errors', () => {
  test('say what, as problem+json', async () => {
    const missing = await ask('GET', '/api/projects/none')
    expect(missing).toMatchObject({ status: 404, body: { title: 'Not found', detail: expect.stringMatching(/does not exist/) } })
    expect(missing.type).toMatch(/^application\/problem\+json/)
    expect(await post('/api/projects', { name: '  ' })).toMatchObject({ status: 400, body: { detail: 'give the project a name' } })
    expect(await ask('POST', '/api/projects', { body: '{' })).toMatchObject({ status: 400, body: { detail: 'the body is no JSON' } })
    expect((await ask('GET', '/api/nothing')).status).toBe(404)
  })

  test('bodies have a limit', async () => {
    expect((await ask('POST', '/api/projects', { body: JSON.stringify({ name: 'x'.repeat(5_000_000) }) })).status).toBe(413)
  })

  test('edits are checked whole before anything changes', async () => {
    const id = await project()
    const { revision } = await stateOf(id)
    for (const edits of [
      [],
      [{ type: 'nonsense' }],
      [{ type: 'settings', change: { rate: '26/1' } }],
      [{ type: 'settings', change: { width: 1280 }, extra: 1 }],
      [{ type: 'choose', cutId: 'x', time: 0.5, choice: { angleId: 'a' } }],
      [{ type: '__proto__' }],
    ]) {
      expect((await post(`/api/projects/${id}/edits`, { edits })).status).toBe(400)
    }
    expect((await post(`/api/projects/${id}/edits`, { edits: [{ type: 'renameAngle', angleId: 'gone', name: 'x' }] })).status).toBe(409)
    expect((await stateOf(id)).revision).toBe(revision)
  })

  test('a film of a project without a master is refused with the remedy', async () => {
    const id = await project()
    expect(await post(`/api/projects/${id}/film`, { width: 640, height: 360, rate: '25/1' })).toMatchObject({
      status: 409,
      body: { detail: expect.stringMatching(/choose one in Gather/) },
    })
    expect((await ask('GET', `/api/projects/${id}/exchange/otio`)).status).toBe(409)
    expect((await ask('GET', `/api/projects/${id}/exchange/xyz`)).status).toBe(404)
  })
})

describe('projects', () => {
  test('are made, renamed, duplicated, deleted and brought back', async () => {
    const id = await project()
    expect((await ask('PATCH', `/api/projects/${id}`, { body: '{"name":"Other"}' })).status).toBe(204)
    makeMedia(path.join(showFolder(config), 'desk/mix.wav'), TONE)
    await post(`/api/projects/${id}/gather`, { paths: [path.join(showFolder(config), 'desk')] })
    const copy = ((await post(`/api/projects/${id}/duplicate`, {})).body as { id: string }).id
    const [one, two] = [await stateOf(id), await stateOf(copy)]
    expect(two.name).toBe('Other (copy)')
    expect(Object.keys(two.doc.clips)).toEqual(Object.keys(one.doc.clips))
    expect(two.files.map((f) => f.path)).toEqual(one.files.map((f) => f.path))
    expect(two.doc.clips[two.doc.master.clipIds[0]].fileId).toBe(two.files[0].id)
    expect((await ask('DELETE', `/api/projects/${id}`)).status).toBe(204)
    expect((await ask('GET', `/api/projects/${id}`)).status).toBe(404)
    expect((await post(`/api/projects/${id}/restore`, {})).status).toBe(204)
    expect((await stateOf(id)).name).toBe('Other')
  })

  test('edits, undo and redo outlive the process', async () => {
    const id = await project()
    const edit = (width: number) => post(`/api/projects/${id}/edits?label=width`, { edits: [{ type: 'settings', change: { width } }] })
    await edit(640)
    await edit(1280)
    await serving.close()
    serving = await serve(await testWorkshop(config), 0)
    expect(await stateOf(id)).toMatchObject({ doc: { settings: { width: 1280 } }, canUndo: 'width', canRedo: null })
    await post(`/api/projects/${id}/undo`, {})
    expect((await stateOf(id)).doc.settings.width).toBe(640)
    await post(`/api/projects/${id}/undo`, {})
    expect((await stateOf(id)).doc.settings.width).toBe(1920)
    expect((await post(`/api/projects/${id}/undo`, {})).body).toEqual({ label: null })
    await post(`/api/projects/${id}/redo`, {})
    expect((await stateOf(id)).doc.settings.width).toBe(640)
    await edit(800)
    expect((await stateOf(id)).canRedo).toBeNull()
  })

  test('many edits at once are all kept, one after the other', async () => {
    const id = await project()
    const { doc } = await stateOf(id)
    const answers = await Promise.all(
      Array.from({ length: 20 }, (_, i) =>
        post(`/api/projects/${id}/edits`, { edits: [{ type: 'addMarks', marks: [{ id: `m${i}`, time: i, kind: 'cue', name: `${i}`, hue: 0 }] }] }),
      ),
    )
    expect(new Set(answers.map((a) => (a.body as { revision: number }).revision)).size).toBe(20)
    expect((await stateOf(id)).doc.marks).toHaveLength(doc.marks.length + 20)
  })

  test('dropped files keep their folders and cannot climb out', async () => {
    const id = await project()
    const wav = await import('node:fs').then((fs) => fs.readFileSync(path.join(showFolder(config), 'desk/mix.wav')))
    const form = new FormData()
    form.append('file', new Blob([wav]), 'cam-x/clip.wav')
    form.append('file', new Blob([wav, 'x']), '../../../evil.wav')
    await dropped(id, form)
    const { files } = await stateOf(id)
    const home = path.join(config.uploads, id)
    // Each lies below a folder named by its content.
    expect(files.map((f) => path.relative(home, f.path).replace(/^[0-9a-f]{32}\//, '')).sort()).toEqual(['cam-x/clip.wav', 'evil.wav'])
  })
})

test('two drops at once of the same contents under other names leave each content once', async () => {
  const make = (hz: number) =>
    readFileSync(makeMedia(path.join(showFolder(config), `drop-${hz}.wav`), ['-f', 'lavfi', '-i', `sine=frequency=${hz}:duration=1`]))
  const [a, b] = [make(300), make(500)]
  const drop = async (id: string, files: [string, Buffer][]) => {
    const form = new FormData()
    for (const [name, bytes] of files) form.append('file', new Blob([new Uint8Array(bytes)]), name)
    await dropped(id, form)
  }
  for (let round = 0; round < 6; round++) {
    const id = await project()
    await Promise.all(
      Array.from({ length: 4 }, (_, i) =>
        drop(id, [
          [`x/C${i}.wav`, i % 2 ? a : b],
          [`x/D${i}.wav`, i % 2 ? b : a],
        ]),
      ),
    )
    const { files, doc } = await stateOf(id)
    expect(files).toHaveLength(2)
    expect(Object.keys(doc.clips)).toHaveLength(2)
    expect(new Set(files.map((f) => readFileSync(f.path).equals(a))).size).toBe(2)
  }
})
