import { accessSync, constants, existsSync, statSync } from 'node:fs'
import { writeFile } from 'node:fs/promises'
import path from 'node:path'
import { detailText, LEAST_LOUDNESS, MOST_LOUDNESS, soundText } from '@pendolo/api'
import { EXCHANGE_FORMATS, exchangeFormat, layOut } from '@pendolo/core/formats'
import type { ProjectDoc } from '@pendolo/core/project'
import { PROJECT_RATES, parseRate, printRate, rateKey } from '@pendolo/core/time'
import { type Command, InvalidArgumentError, Option } from 'commander'
import { defaultHome, makeConfig } from '../config.ts'
import { FILM_ENDINGS } from '../film/parts.ts'
import { renderFilm } from '../film/render.ts'
import { openWorkshop } from '../http/serve.ts'
import { atRate } from '../jobs/handlers.ts'
import { exchangeFiles } from '../jobs/workshop.ts'

const LEAST_SIDE = 16
const MOST_SIDE = 8192

/** @returns one of the rates that a project may have */
function filmRate(text: string): string {
  const rate = parseRate(text)
  const key = rate && rateKey(rate)
  if (key && (PROJECT_RATES as readonly string[]).includes(key)) return key
  const known = PROJECT_RATES.map((r) => printRate(parseRate(r) as NonNullable<ReturnType<typeof parseRate>>))
  throw new InvalidArgumentError(`a film has one of these rates: ${known.join(', ')}`)
}

function filmSize(text: string): { width: number; height: number } {
  const [width, height] = (/^(\d+)x(\d+)$/.exec(text)?.slice(1) ?? []).map((n) => Number(n) & ~1)
  const fits = (n: number | undefined) => n !== undefined && n >= LEAST_SIDE && n <= MOST_SIDE
  if (!fits(width) || !fits(height)) throw new InvalidArgumentError(`a size is written like 1920x1080, each side from ${LEAST_SIDE} to ${MOST_SIDE}`)
  return { width, height }
}

interface FilmOptions {
  readonly out: string
  readonly size?: { width: number; height: number }
  readonly rate?: string
  readonly cut?: string
  readonly loudness?: number
  readonly home: string
}

function filmLoudness(text: string): number {
  const wanted = Number(text.replace('−', '-'))
  if (text.trim() === '' || !(wanted >= LEAST_LOUDNESS && wanted <= MOST_LOUDNESS))
    throw new InvalidArgumentError(`a loudness is a number of LUFS from ${LEAST_LOUDNESS} to ${MOST_LOUDNESS}, as -16`)
  return wanted
}

/** A file that can be written: its folder is there already, so that a slip of the pen makes none. */
function outFile(text: string): string {
  const file = path.resolve(text)
  const folder = path.dirname(file)
  if (!existsSync(folder)) throw new InvalidArgumentError(`there is no folder ${folder}`)
  if (existsSync(file) && statSync(file).isDirectory()) throw new InvalidArgumentError(`${file} is a folder; name a file in it`)
  try {
    accessSync(existsSync(file) ? file : folder, constants.W_OK)
  } catch {
    throw new InvalidArgumentError(`${file} may not be written`)
  }
  return file
}

function filmFile(text: string): string {
  if (!Object.values(FILM_ENDINGS).some((ending) => text.toLowerCase().endsWith(ending))) throw new InvalidArgumentError('a film is an .mp4 or a .mov file')
  return outFile(text)
}

/** `pendolo film` and `pendolo exchange`: what leaves a project, without a running server. */
export function addFilm(program: Command): void {
  program
    .command('film')
    .description('render the cut of a project to a film')
    .argument('<project>', 'id or name of the project')
    .requiredOption('--out <file>', 'film to write (.mp4; .mov with its sound as it was mixed)', filmFile)
    .option('--size <WxH>', "picture size; default the project's raster", filmSize)
    .option('--rate <rate>', "frames a second; default the project's", filmRate)
    .option('--cut <name>', 'version of the cut; default the one at hand')
    .option('--loudness <LUFS>', 'bring its sound to an integrated loudness, with true peaks below −1 dBTP; default as it is balanced', filmLoudness)
    .option('--home <dir>', 'data folder', defaultHome())
    .action(async (wanted: string, options: FilmOptions) => {
      await withProject(options.home, wanted, async (shop, id, name) => {
        const doc = await shop.store.doc(id)
        const files = exchangeFiles(await shop.store.files(id))
        const size = options.size ?? { width: doc.settings.width & ~1, height: doc.settings.height & ~1 }
        const exchange = layOut(name, atRate(doc, options.rate ?? doc.settings.rate), files, versionNamed(doc, options.cut))
        const abort = new AbortController()
        process.once('SIGINT', () => abort.abort())
        const sound = await renderFilm(
          { config: shop.config, exchange, files, size, out: options.out, loudness: options.loudness ?? null },
          (share, detail) => process.stderr.write(`\r${Math.round(share * 100)} % ${detailText(detail)}      `),
          abort.signal,
        )
        process.stderr.write(`\n${soundText(sound)}\n`)
      })
    })

  program
    .command('exchange')
    .description('write the project for other programs')
    .argument('<project>', 'id or name of the project')
    .addOption(new Option('--format <format>', 'what to write').choices(EXCHANGE_FORMATS.map((f) => f.id)).makeOptionMandatory())
    .requiredOption('--out <file>', 'file to write', outFile)
    .option('--cut <name>', 'version of the cut; default the one at hand')
    .option('--home <dir>', 'data folder', defaultHome())
    .action(async (wanted: string, options: { format: string; out: string; cut?: string; home: string }) => {
      await withProject(options.home, wanted, async (shop, id, name) => {
        const doc = await shop.store.doc(id)
        const exchange = layOut(name, doc, exchangeFiles(await shop.store.files(id)), versionNamed(doc, options.cut))
        await writeFile(options.out, exchangeFormat(options.format).write(exchange))
      })
    })
}

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
