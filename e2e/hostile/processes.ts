import { readdirSync, readFileSync } from 'node:fs'

interface Process {
  readonly pid: number
  readonly parent: number
  readonly command: string
  readonly bytes: number
}

function all(): Process[] {
  const out: Process[] = []
  for (const name of readdirSync('/proc')) {
    if (!/^\d+$/.test(name)) continue
    try {
      const stat = readFileSync(`/proc/${name}/stat`, 'utf8')
      const rest = stat.slice(stat.lastIndexOf(')') + 2).split(' ')
      if (rest[0] === 'Z') continue
      const bytes = Number(readFileSync(`/proc/${name}/statm`, 'utf8').split(' ')[1]) * 4096
      out.push({ pid: Number(name), parent: Number(rest[1]), command: readFileSync(`/proc/${name}/cmdline`, 'utf8').replaceAll('\0', ' '), bytes })
    } catch {
      // It has ended meanwhile.
    }
  }
  return out
}

/** A process and all below it. */
export function family(pid: number): Process[] {
  const known = all()
  const out = known.filter((p) => p.pid === pid)
  for (let i = 0; i < out.length; i++) out.push(...known.filter((p) => p.parent === out[i].pid))
  return out
}

export const running = (pids: readonly number[]) => all().filter((p) => pids.includes(p.pid))
export const openHandles = (pid: number) => readdirSync(`/proc/${pid}/fd`).length

/** Looks at the memory of a process and all below it until it is stopped. */
export function watchMemory(pid: number): { most: () => number; stop: () => void } {
  let most = 0
  const timer = setInterval(() => {
    most = Math.max(
      most,
      family(pid).reduce((sum, p) => sum + p.bytes, 0),
    )
  }, 250)
  return { most: () => most, stop: () => clearInterval(timer) }
}
