import { existsSync } from 'node:fs'
import path from 'node:path'
import type { Command } from 'commander'
import { defaultHome } from '../config.ts'
import { backUp, backupsOf, newestGood, restore } from '../db/backup.ts'
import { lockHome } from '../db/lock.ts'
import { databaseFile } from '../db/open.ts'

const say = (text: string) => process.stdout.write(`${text}\n`)

/** Copies of the database: what is decided in all projects. Originals and what is made of them are no part of it. */
export function addBackup(program: Command): void {
  program
    .command('backup')
    .description('copy the database (all projects and their history); safe while Pendolo runs')
    .option('--home <dir>', 'data folder', defaultHome())
    .option('--out <file>', 'where to; default among the copies in the data folder')
    .action(async (options: { home: string; out?: string }) => {
      const home = path.resolve(options.home)
      if (!existsSync(databaseFile(home))) throw new Error(`there is no Pendolo data in ${home}; name the folder with --home`)
      const out = options.out === undefined ? undefined : path.resolve(options.out)
      if (out !== undefined && existsSync(out)) throw new Error(`${out} exists already; name another file`)
      say(`copied to ${await backUp(home, out)}`)
    })

  program
    .command('restore')
    .description('put a copy of the database back; the present one is kept aside')
    .argument('[file]', 'the copy; default the newest good one')
    .option('--home <dir>', 'data folder', defaultHome())
    .option('--list', 'only list the copies')
    .option('--empty', 'begin with an empty database')
    .action(async (file: string | undefined, options: { home: string; list?: boolean; empty?: boolean }) => {
      const home = path.resolve(options.home)
      if (options.list) {
        for (const copy of backupsOf(home)) say(`${copy.at.toISOString()}  ${copy.file}`)
        return
      }
      const lock = await lockHome(home)
      try {
        const from = options.empty ? null : file === undefined ? ((await newestGood(home))?.file ?? '') : path.resolve(file)
        if (from === '') throw new Error(`there is no good copy in ${home}; name one, or begin anew with --empty`)
        const aside = await restore(home, from)
        say(`${from ?? 'an empty database'} is in place${aside ? `; what was there is kept in ${aside}` : ''}`)
      } finally {
        lock.release()
      }
    })
}
