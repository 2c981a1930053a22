import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { writeFile } from 'node:fs/promises'
import path from 'node:path'
import { EXCHANGE_FORMATS, exchangeFormat, layOut, MarksError, markFormatOf, readMarks, writeMarks } from '@pendolo/core/formats'
import type { ProjectDoc } from '@pendolo/core/project'
import { Command, InvalidArgumentError, Option } from 'commander'
import type { Logger } from 'pino'
import { type Config, defaultHome, makeConfig, repositoryRoot } from '../config.ts'
import { damageWords } from '../db/backup.ts'
import { DamagedDatabase } from '../db/open.ts'
import { diskWords } from '../disk.ts'
import { renderFilm } from '../film/render.ts'
import { openWorkshop, serve } from '../http/serve.ts'
import { atRate } from '../jobs/handlers.ts'
import { exchangeFiles } from '../jobs/workshop.ts'
import { NotFound } from '../ports/store.ts'
import { gather } from '../project/gather.ts'
import { addBackup } from './backup.ts'
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
  .action((options: { in: string; out: string }) => {
    const [from, to] = [markFormatOf(options.in), markFormatOf(options.out)]
    if (!existsSync(options.in)) throw new MarksError(`${options.in} does not exist`)
    const sheet = readMarks(new Uint8Array(readFileSync(options.in)), from)
    writeFileSync(options.out, writeMarks(sheet, to))
    const beats = sheet.beats && (to === 'csv' || to === 'mid') ? ` and ${sheet.beats.beats.length} beats` : ''
    process.stdout.write(`${sheet.marks.length} marks${beats} written to ${options.out}\n`)
  })

program
  .command('film')
  .description('render the cut of a project to a film')
  .argument('<project>', 'id or name of the project')
  .requiredOption('--out <file>', 'film to write (.mp4)')
  .option('--size <WxH>', "picture size; default the project's raster")
  .option('--rate <rate>', "frames a second; default the project's")
  .option('--cut <name>', 'version of the cut; default the one at hand')
  .option('--home <dir>', 'data folder', defaultHome())
  .action(async (wanted: string, options: { out: string; size?: string; rate?: string; cut?: string; home: string }) => {
    await withProject(options.home, wanted, async (shop, id, name) => {
      const doc = await shop.store.doc(id)
      const files = exchangeFiles(await shop.store.files(id))
      const size = /^(\d+)x(\d+)$/.exec(options.size ?? `${doc.settings.width}x${doc.settings.height}`)
      if (!size) throw new Error('a size is written like 1920x1080')
      const exchange = layOut(name, atRate(doc, options.rate ?? doc.settings.rate), files, versionNamed(doc, options.cut))
      const abort = new AbortController()
      process.once('SIGINT', () => abort.abort())
      await renderFilm(
        shop.config,
        exchange,
        files,
        { width: Number(size[1]) & ~1, height: Number(size[2]) & ~1 },
        path.resolve(options.out),
        (share, detail) => process.stderr.write(`\r${Math.round(share * 100)} % ${detail}      `),
        abort.signal,
      )
      process.stderr.write('\n')
    })
  })

program
  .command('exchange')
  .description('write the project for other programs')
  .argument('<project>', 'id or name of the project')
  .addOption(new Option('--format <format>', 'what to write').choices(EXCHANGE_FORMATS.map((f) => f.id)).makeOptionMandatory())
  .requiredOption('--out <file>')
  .option('--cut <name>', 'version of the cut; default the one at hand')
  .option('--home <dir>', 'data folder', defaultHome())
  .action(async (wanted: string, options: { format: string; out: string; cut?: string; home: string }) => {
    await withProject(options.home, wanted, async (shop, id, name) => {
      const doc = await shop.store.doc(id)
      const exchange = layOut(name, doc, exchangeFiles(await shop.store.files(id)), versionNamed(doc, options.cut))
      await writeFile(options.out, exchangeFormat(options.format).write(exchange))
    })
  })

/** The version of that name, or the one at hand. */
function versionNamed(doc: ProjectDoc, name: string | undefined): { cutId?: string } {
  if (name === undefined) return {}
  const cut = doc.cuts.find((c) => c.name.toLowerCase() === name.toLowerCase())
  if (!cut) throw new Error(`there is no version "${name}"; there are: ${doc.cuts.map((c) => c.name).join(', ')}`)
  return { cutId: cut.id }
}

async function withProject(
  home: string,
  wanted: string,
  act: (shop: Awaited<ReturnType<typeof openWorkshop>>, id: string, name: string) => Promise<void>,
): Promise<void> {
  const config = makeConfig(path.resolve(home))
  if (!existsSync(path.join(config.home, 'pendolo.db'))) throw new Error(`there is no Pendolo data in ${config.home}; name the folder with --home`)
  // It reads only, so it may do so beside a running server.
  const shop = await openWorkshop(config, undefined, { alone: false })
  try {
    const projects = await shop.store.list()
    const found = projects.find((p) => p.id === wanted) ?? projects.find((p) => p.name.toLowerCase() === wanted.toLowerCase())
    if (!found) throw new Error(`there is no project "${wanted}"; there are: ${projects.map((p) => p.name).join(', ') || 'none'}`)
    await act(shop, found.id, found.name)
  } finally {
    await shop.close()
  }
}

program.parseAsync().catch((error: unknown) => {
  process.stderr.write(`pendolo: ${error instanceof Error ? error.message : String(error)}\n`)
  process.exitCode = 1
})
