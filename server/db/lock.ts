import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { createClient } from '@libsql/client'

/** Another process works on the data folder. */
export class HomeInUse extends Error {
  readonly code = 'in-use'
}

export interface HomeLock {
  /** Tells others, who find the folder in use, where it is served. */
  tell(address: string): void
  release(): void
}

const addressFile = (home: string) => path.join(home, 'address.txt')

/**
 * Takes a data folder for this process alone. The lock is one of the operating system's, held through an open
 * transaction on a small file, so it goes with the process however that ends.
 * @throws HomeInUse with the address at which the other one is
 */
export async function lockHome(home: string): Promise<HomeLock> {
  const client = createClient({ url: `file:${path.join(home, 'lock.db')}` })
  try {
    await client.execute('PRAGMA busy_timeout = 0')
    const held = await client.transaction('write')
    await held.execute('CREATE TABLE IF NOT EXISTS held (pid INTEGER)')
    let released = false
    return {
      tell: (address) => writeFileSync(addressFile(home), address),
      release() {
        if (released) return
        released = true
        rmSync(addressFile(home), { force: true })
        held.close()
        client.close()
      },
    }
  } catch (error) {
    client.close()
    if (!/SQLITE_BUSY|locked/.test(String((error as { code?: string }).code ?? error))) throw error
    let at = ''
    try {
      at = ` at ${readFileSync(addressFile(home), 'utf8').trim()}`
    } catch {
      // It has not begun to listen yet.
    }
    throw new HomeInUse(`the data folder ${home} is in use by Pendolo${at}; go there, end that one first, or name another folder with --home`)
  }
}
