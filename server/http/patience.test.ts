import { existsSync, readdirSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import { type AddressInfo, connect, type Socket } from 'node:net'
import type { ServerEvent } from '@pendolo/api'
import express from 'express'
import { pino } from 'pino'
import { LocalBus } from '../jobs/local-bus.ts'
import { testConfig } from '../testing.ts'
import { EventStreams } from './event-streams.ts'
import { problemHandler } from './problems.ts'
import { inTime } from './security.ts'
import { receiveUpload } from './upload.ts'

const LIMIT = 200
const servers: Server[] = []

async function listening(app: express.Express): Promise<number> {
  app.use(problemHandler(pino({ level: 'silent' })))
  const server = createServer(app)
  servers.push(server)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return (server.address() as AddressInfo).port
}

afterAll(() => {
  for (const server of servers) {
    server.closeAllConnections()
    server.close()
  }
})

/** Sends what it is given and keeps the connection open; tells all that came back once the other side ends. */
function stubborn(port: number, text: string): { socket: Socket; answer: Promise<string> } {
  const socket = connect(port, '127.0.0.1')
  let said = ''
  const answer = new Promise<string>((resolve) => {
    socket.on('data', (chunk) => {
      said += chunk
    })
    socket.on('error', () => resolve(said))
    socket.on('close', () => resolve(said))
  })
  socket.write(text)
  return { socket, answer }
}

const head = (type: string, length: number) =>
  `POST /take HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: ${type}\r\nContent-Length: ${length}\r\nConnection: close\r\n\r\n`

test('a body of JSON that does not come whole in time is given up with words', async () => {
  const app = express()
  let taken = 0
  app.post('/take', inTime(LIMIT), express.json(), (request, response) => {
    taken++
    response.json({ got: request.body.name })
  })
  const port = await listening(app)
  const cut = await stubborn(port, `${head('application/json', 1000)}{"name":`).answer
  expect(cut).toMatch(/^HTTP\/1\.1 408 /)
  expect(cut).toMatch(/application\/problem\+json/)
  expect(cut).toMatch(/did not come whole in time/)
  expect(taken).toBe(0)
  // One that comes in two pieces in time is taken.
  const slow = stubborn(port, `${head('application/json', 13)}{"name":`)
  setTimeout(() => slow.socket.write('"x1"}'), LIMIT / 4)
  expect(await slow.answer).toMatch(/200 OK[\s\S]*{"got":"x1"}/)
})

test('an upload on which nothing arrives any more is given up, and leaves nothing', async () => {
  const config = testConfig()
  const app = express()
  app.post('/take', async (request, response) => void response.json(await receiveUpload(config, request, 'p1', LIMIT)))
  const port = await listening(app)
  const start = '--b\r\nContent-Disposition: form-data; name="file"; filename="a.wav"\r\nContent-Type: audio/wav\r\n\r\nRIFF'
  const { answer } = stubborn(port, head('multipart/form-data; boundary=b', 100_000) + start)
  const said = await answer
  expect(said).toMatch(/^HTTP\/1\.1 400 /)
  expect(said).toMatch(/broke off/)
  expect(existsSync(config.uploads)).toBe(true)
  expect(readdirSync(config.uploads, { recursive: true, withFileTypes: true }).filter((entry) => entry.isFile())).toEqual([])
  expect(readdirSync(config.uploads, { recursive: true }).filter((name) => String(name).includes('.part'))).toEqual([])
})

test('a page that reads no events is let go; one that reads has all of them in order', async () => {
  const bus = new LocalBus()
  const streams = new EventStreams(bus)
  const app = express()
  app.get('/events', (request, response) => streams.open(request, response))
  const port = await listening(app)
  const ask = 'GET /events HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n'
  const deaf = connect(port, '127.0.0.1')
  deaf.on('error', () => undefined)
  deaf.pause()
  deaf.write(ask)
  const reader = connect(port, '127.0.0.1')
  let heard = ''
  reader.on('data', (chunk) => {
    heard += chunk
  })
  reader.write(ask)
  while (streams.pages < 2) await new Promise((resolve) => setTimeout(resolve, 5))
  // What the system keeps for a connection on the way is some megabytes as well.
  const event = { type: 'projects', filler: 'x'.repeat(2 ** 20) } as unknown as ServerEvent
  const first = bus.seq + 1
  let sent = 0
  for (; streams.pages === 2 && sent < 60; sent++) {
    bus.send(event)
    await new Promise((resolve) => setTimeout(resolve, 10))
  }
  expect(streams.pages).toBe(1)
  expect(sent).toBeLessThan(60)
  bus.send(event)
  while (!heard.includes(`"seq":${bus.seq}}`)) await new Promise((resolve) => setTimeout(resolve, 10))
  const numbers = [...heard.matchAll(/"seq":(\d+)}/g)].map((m) => Number(m[1]))
  expect(numbers).toEqual(Array.from({ length: sent + 1 }, (_, i) => first + i))
  deaf.destroy()
  reader.destroy()
})
