import { expect, type Page } from '@playwright/test'
import { makeNumbers } from './numbers.ts'
import { homeWithCopies, TestServer } from './server.ts'

/** A server with a project of the three numbered cameras, lined up, at 25 frames a second. */
export async function numberedProject(name: string): Promise<{ server: TestServer; id: string }> {
  const folder = await makeNumbers()
  const server = new TestServer(folder, ['start'], homeWithCopies())
  await server.start()
  const { id } = await server.api<{ id: string }>('/projects', { name })
  await server.api(`/projects/${id}/gather`, { paths: [folder] })
  await server.idle()
  await server.api(`/projects/${id}/edits?label=rate`, { edits: [{ type: 'settings', change: { rate: '25/1' } }] })
  await server.api(`/projects/${id}/lineup`, {})
  await server.idle()
  return { server, id }
}

/** Opens Switch and waits until a picture stands on the wall. */
export async function openSwitch(page: Page, server: TestServer, id: string): Promise<void> {
  await page.goto(`${server.url}/${id}/switch`)
  await expect(page.getByRole('button', { name: /^Angle 1/ })).toBeVisible()
  await expect.poll(() => page.evaluate(() => Object.values(window.pendolo.health().shown).some((s) => s.frame !== null))).toBe(true)
}

const SECOND = 705_600_000

interface Cuts {
  doc: { cuts: { id: string; points: { time: number; angleId: string; split?: true }[] }[]; activeCutId: string; angles: { id: string; name: string }[] }
}

/** The cuts of the version at hand: "2a 5b!" is camera a from 2 s on, b from 5 s, where it was split. */
export async function toldCuts(server: TestServer, id: string): Promise<string> {
  const { doc } = await server.project<Cuts>(id)
  const { points } = doc.cuts.find((c) => c.id === doc.activeCutId) as Cuts['doc']['cuts'][number]
  return points
    .map(({ time, angleId, split }) => `${Number((time / SECOND).toFixed(3))}${doc.angles.find((a) => a.id === angleId)?.name.at(-1)}${split ? '!' : ''}`)
    .join(' ')
}
