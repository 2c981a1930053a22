import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { MarksError, markFormatOf, readMarks, writeMarks } from '@pendolo/core/formats'
import { parseRate } from '@pendolo/core/time'
import { Command, InvalidArgumentError } from 'commander'
import type { Logger } from 'pino'
import { type Config, defaultHome, makeConfig, repositoryRoot } from '../config.ts'
import { damageWords } from '../db/backup.ts'
import { DamagedDatabase } from '../db/open.ts'
import { diskWords } from '../disk.ts'
import { openWorkshop, serve } from '../http/serve.ts'
import { NotFound } from '../ports/store.ts'
import { gather } from '../project/gather.ts'
import { addBackup } from './backup.ts'
import { addFilm } from './film.ts'
import { addLineUp, addProbe } from './line-up.ts'
import { addPulse } from './pulse.ts'

/** Project ids of the demo are fixed, so that starting it twice opens the same show. */
const DEMO_ID = 'depot-night'

function port(text: string): number {
  const value = Number(text)
  if (!Number.isInteger(value) || value < 0 || value > 65535) throw new InvalidArgumentError('a port is a whole number from 0 to 65535')
  return value
}

const program = new Command('pendolo')
  .description('Brings many camera angles onto one master recording, marks the beats and cuts between them in time.')
  .showHelpAfterError()

program
  .command('start')
  .description('start on your own data')
  .option('--port <n>', 'port on 127.0.0.1', port, 4420)
  .option('--home <dir>', 'data folder', defaultHome())
  .action(async (options: { port: number; home: string }) => {
    const home = path.resolve(options.home)
    await run(makeConfig(home), options.port)
  })

program
  .command('demo')
  .description('make the demo show if it is missing and start with it')
  .option('--port <n>', 'port on 127.0.0.1', port, 4420)
  .option('--home <dir>', 'data folder of the demo', path.join(defaultHome(), 'demo'))
  .option('--make-only <dir>', "only write the show's files into this folder")
  .action(async (options: { port: number; home: string; makeOnly?: string }) => {
    const { makeShow } = (await import(path.join(repositoryRoot(), 'demo', 'dist', 'make.mjs'))) as {
      makeShow: (into: string, say: (text: string) => void) => Promise<void>
    }
    const say = (text: string) => process.stdout.write(`${text}\n`)
    if (options.makeOnly) {
      await makeShow(path.resolve(options.makeOnly), say)
      return
    }
    const home = path.resolve(options.home)
    const show = path.join(home, 'depot-night')
    if (!existsSync(path.join(show, 'truth.json'))) await makeShow(show, say)
    await run(makeConfig(home, [show]), options.port, show)
  })

async function run(config: Config, wanted: number, show?: string): Promise<void> {
  const shop = await opened(config)
  surviveFaults(shop.log)
  const serving = await serve(shop, wanted).catch(async (error: NodeJS.ErrnoException) => {
    await shop.close()
    throw error.code === 'EADDRINUSE' ? new Error(`port ${wanted} is in use; choose another with --port`) : error
  })
  if (show) {
    // Deleted in the interface, it comes back when the demo is asked for again.
    await shop.store.setDeleted(DEMO_ID, false).catch((error: unknown) => {
      if (error instanceof NotFound) return shop.store.create('Depot Night', DEMO_ID)
      throw error
    })
    if ((await shop.store.files(DEMO_ID)).length === 0) {
      await gather(shop, DEMO_ID, [show])
    }
  }
  process.stdout.write(`Pendolo is at http://127.0.0.1:${serving.port}/\n`)
  const stop = () => {
    // What hangs must not keep the process: everything is written already, or made again at the next start.
    setTimeout(() => process.exit(0), STOP_WITHIN).unref()
    void serving.close().finally(() => process.exit(0))
  }
  process.once('SIGINT', stop)
  process.once('SIGTERM', stop)
}

/** A graceful stop takes at most so long, ms. */
const STOP_WITHIN = 8000

/** Opens the data folder for this process, or says in plain words why that cannot be. */
async function opened(config: Config) {
  return openWorkshop(config).catch(async (error: unknown) => {
    if (error instanceof DamagedDatabase) throw new Error(await damageWords(config.home, error.message))
    const disk = diskWords(error)
    throw disk ? new Error(`${config.home}: ${disk.replace(', so nothing was changed', '')}`) : error
  })
}

/** No stream, job or request may end the server: what nobody caught is written down, and it goes on. */
function surviveFaults(log: Logger): void {
  process.on('uncaughtException', (error) => log.error(error, 'a fault that nobody caught'))
  process.on('unhandledRejection', (error) => log.error(error, 'a fault that nobody caught'))
}

addBackup(program)
addLineUp(program)
addProbe(program)

addPulse(program)

program
  .command('marks')
  .description('convert marks, beats and bars between CSV, WebVTT, label text and MIDI')
  .requiredOption('--in <file>', 'file to read: .csv, .vtt, .txt, .mid')
  .requiredOption('--out <file>', 'file to write, of any of these')
  .option('--rate <rate>', 'what times in frames count by, with drop-frame where the last colon is a semicolon')
  .action((options: { in: string; out: string; rate?: string }) => {
    const [from, to] = [markFormatOf(options.in), markFormatOf(options.out)]
    if (!existsSync(options.in)) throw new MarksError(`${options.in} does not exist`)
    const rate = options.rate === undefined ? null : parseRate(options.rate)
    if (options.rate !== undefined && !rate) throw new MarksError(`"${options.rate}" is no frame rate; write for example 25 or 29.97`)
    const bytes = new Uint8Array(readFileSync(options.in))
    const dropFrame = /\d;\d\d/.test(new TextDecoder().decode(bytes.subarray(0, 4096)))
    const sheet = readMarks(bytes, from, rate ? { style: { rate, dropFrame }, startFrame: 0 } : undefined)
    writeFileSync(options.out, writeMarks(sheet, to))
    const beats = sheet.beats && (to === 'csv' || to === 'mid') ? ` and ${sheet.beats.beats.length} beats` : ''
    process.stdout.write(`${sheet.marks.length} marks${beats} written to ${options.out}\n`)
  })

addFilm(program)

program.parseAsync().catch((error: unknown) => {
  process.stderr.write(`pendolo: ${error instanceof Error ? error.message : String(error)}\n`)
  process.exitCode = 1
})
