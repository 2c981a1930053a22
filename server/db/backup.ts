import { existsSync, mkdirSync, readdirSync, renameSync, statSync } from 'node:fs'
import { copyFile, rename, rm } from 'node:fs/promises'
import path from 'node:path'
import { createClient } from '@libsql/client'
import { counted } from '@pendolo/api'
import { synced } from '../media/artefacts.ts'
import { damageOf, databaseFile } from './open.ts'

/** Copies kept: so many of the newest, and one a day beyond. */
const NEWEST_KEPT = 8
const DAYS_KEPT = 14

const folderOf = (home: string) => path.join(home, 'backups')
const NAME = /^pendolo-(\d{4}-\d\d-\d\d)T(\d\d)-(\d\d)-(\d\d)(?:-\d+)?\.db$/

export interface Backup {
  readonly file: string
  readonly at: Date
}

/** Copies of the database, newest first. */
export function backupsOf(home: string): Backup[] {
  if (!existsSync(folderOf(home))) return []
  return readdirSync(folderOf(home))
    .filter((name) => NAME.test(name))
    .map((name) => ({ file: path.join(folderOf(home), name), at: statSync(path.join(folderOf(home), name)).mtime }))
    .sort((a, b) => b.at.getTime() - a.at.getTime() || b.file.localeCompare(a.file))
}

/**
 * Writes a whole, checked copy of the database. It reads as any other reader does, so nobody waits for it; run in a
 * worker thread it holds nothing up. @returns the copy's path
 */
export async function backUp(home: string, into?: string): Promise<string> {
  const stamp = new Date().toISOString().slice(0, 19).replaceAll(':', '-')
  const name = (n: number) => path.join(folderOf(home), `pendolo-${stamp}${n > 0 ? `-${n}` : ''}.db`)
  let n = 0
  while (into === undefined && existsSync(name(n))) n++
  const final = into ?? name(n)
  mkdirSync(path.dirname(final), { recursive: true })
  const part = path.join(path.dirname(final), `.part-${process.pid}-${path.basename(final)}`)
  await rm(part, { force: true })
  const client = createClient({ url: `file:${databaseFile(home)}` })
  try {
    await client.execute('PRAGMA busy_timeout = 5000')
    await client.execute({ sql: 'VACUUM INTO ?', args: [part] })
    const damage = await damageOf(part)
    if (damage) throw new Error(`the copy of the database is not whole: ${damage}`)
    await synced(part)
    await rename(part, final)
  } finally {
    client.close()
    await rm(part, { force: true })
  }
  if (into === undefined) await thin(home)
  return final
}

async function thin(home: string): Promise<void> {
  const days = new Set<string>()
  for (const [i, { file, at }] of backupsOf(home).entries()) {
    const day = at.toISOString().slice(0, 10)
    if (i < NEWEST_KEPT) days.add(day)
    else if (days.has(day) || days.size >= DAYS_KEPT) await rm(file, { force: true })
    else days.add(day)
  }
}

export async function newestGood(home: string): Promise<Backup | null> {
  for (const backup of backupsOf(home)) if ((await damageOf(backup.file).catch(() => 'unreadable')) === null) return backup
  return null
}

const when = (at: Date) => at.toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })

/** What is to be done about a damaged database, and what taking the newest good copy would lose. */
export async function damageWords(home: string, damage: string): Promise<string> {
  const said = `the database in ${home} is damaged (${damage}). Nothing was changed.`
  const copy = await newestGood(home)
  if (!copy)
    return `${said} There is no good copy of it. "./pendolo restore --home ${home} FILE" takes one from elsewhere; "--empty" instead of FILE begins anew. The damaged one is kept aside either way`
  const { file } = copy
  return `${said} The newest good copy is of ${when(copy.at)}; ${await lostSince(home, copy.at)} would be lost. "./pendolo restore --home ${home}" takes that copy (${path.basename(file)}) and keeps the damaged one aside`
}

async function lostSince(home: string, at: Date): Promise<string> {
  const client = createClient({ url: `file:${databaseFile(home)}` })
  try {
    const { rows } = await client.execute({ sql: 'SELECT count(*) AS n, max(at) AS last FROM edits WHERE at > ?', args: [at.getTime()] })
    const n = Number(rows[0].n)
    return n === 0 ? 'no edit' : `${counted(n, 'edit')}, the last of ${when(new Date(Number(rows[0].last)))},`
  } catch {
    return 'what was done after that'
  } finally {
    client.close()
  }
}

/**
 * Puts a copy in the database's place and keeps what was there aside. The caller holds the lock of the folder.
 * @param from the copy; null begins with an empty database
 * @returns where the former database is now, null when there was none
 */
export async function restore(home: string, from: string | null): Promise<string | null> {
  if (from !== null) {
    const damage = existsSync(from) ? await damageOf(from) : 'it does not exist'
    if (damage) throw new Error(`${from} cannot be restored: ${damage}`)
  }
  const present = ['', '-wal', '-shm'].map((end) => databaseFile(home) + end).filter((f) => existsSync(f))
  const aside = path.join(home, 'aside', new Date().toISOString().slice(0, 19).replaceAll(':', '-'))
  const part = `${databaseFile(home)}.part`
  if (from !== null) {
    await copyFile(from, part)
    await synced(part)
  }
  if (present.length > 0) {
    mkdirSync(aside, { recursive: true })
    for (const file of present) renameSync(file, path.join(aside, path.basename(file)))
  }
  if (from !== null) await rename(part, databaseFile(home))
  return present.length > 0 ? aside : null
}
