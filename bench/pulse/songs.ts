import { existsSync, readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { type MidiData, parseMidi } from 'midi-file'
import type { Truth } from './score.ts'

/** Music of free packages, written as notes: apt-get install openttd-openmsx freedoom planetblupi-music-midi. */
const FOLDERS = ['/usr/share/games/openttd/baseset/openmsx', '/usr/share/planetblupi/music']
const ARCHIVES = ['/usr/share/games/doom/freedoom1.wad', '/usr/share/games/doom/freedoom2.wad']

/** These serve elsewhere as an independent check and are neither learnt from nor looked at here. */
const KEPT_OUT = /^(boogi_marabi|chemistry_lab|city_blues|coconut_run|keep_on_rolling|midnight_snow|slow_neasy|ttsong_iv_)/

export interface Song {
  readonly name: string
  readonly midi: Uint8Array
}

/** All songs that are installed, each once. */
export function songs(): Song[] {
  const out = new Map<string, Song>()
  for (const folder of FOLDERS.filter((f) => existsSync(f)))
    for (const file of readdirSync(folder).sort())
      if (/\.midi?$/.test(file) && !KEPT_OUT.test(file))
        out.set(file, { name: file.replace(/\.midi?$/, ''), midi: new Uint8Array(readFileSync(path.join(folder, file))) })
  for (const archive of ARCHIVES.filter((f) => existsSync(f))) {
    // WAD: a header, lumps of bytes, and a directory of (position, size, name); public and simple.
    const bytes = readFileSync(archive)
    const count = bytes.readUInt32LE(4)
    const directory = bytes.readUInt32LE(8)
    for (let i = 0; i < count; i++) {
      const at = directory + 16 * i
      const midi = bytes.subarray(bytes.readUInt32LE(at), bytes.readUInt32LE(at) + bytes.readUInt32LE(at + 4))
      const name = bytes.toString('latin1', at + 8, at + 16).replace(/\0.*/, '')
      const same = [...out.values()].some((s) => s.midi.length === midi.length && Buffer.compare(s.midi, midi) === 0)
      if (midi.toString('latin1', 0, 4) === 'MThd' && !same) out.set(name, { name: name.toLowerCase(), midi: new Uint8Array(midi) })
    }
  }
  return [...out.values()]
}

/**
 * Beats and bars of a MIDI file by its tempo map and time signatures, from its first note to its last.
 * @param metre beats a bar when the file gives no signature; a beat is a quarter, in 6/8 and 12/8 a dotted one
 */
export function midiTruth(bytes: Uint8Array, metre = 4, seconds = Number.POSITIVE_INFINITY): Truth {
  const midi: MidiData = parseMidi(bytes)
  const ticks = midi.header.ticksPerBeat ?? 480
  const tempo: { tick: number; perBeat: number }[] = []
  const signatures: { tick: number; beats: number; length: number }[] = []
  let first = Number.POSITIVE_INFINITY
  let last = 0
  for (const track of midi.tracks) {
    let tick = 0
    for (const event of track) {
      tick += event.deltaTime
      if (event.type === 'setTempo') tempo.push({ tick, perBeat: event.microsecondsPerBeat / 1e6 })
      else if (event.type === 'timeSignature') {
        const compound = event.denominator === 8 && event.numerator % 3 === 0 && event.numerator > 3
        signatures.push({ tick, beats: compound ? event.numerator / 3 : event.numerator, length: compound ? 1.5 : 4 / event.denominator })
      } else if (event.type === 'noteOn' && event.velocity > 0) {
        first = Math.min(first, tick)
        last = Math.max(last, tick)
      }
    }
  }
  tempo.sort((a, b) => a.tick - b.tick)
  signatures.sort((a, b) => a.tick - b.tick)
  const timeOf = (tick: number) => {
    let time = 0
    let before = 0
    let perBeat = 0.5
    for (const t of tempo) {
      if (t.tick >= tick) break
      time += ((t.tick - before) / ticks) * perBeat
      before = t.tick
      perBeat = t.perBeat
    }
    return time + ((tick - before) / ticks) * perBeat
  }
  const beats: number[] = []
  const downbeats: number[] = []
  let signature = { tick: 0, beats: metre, length: 1 }
  let next = 0
  let inBar = 0
  for (let tick = 0; tick <= last; tick += Math.round(signature.length * ticks)) {
    while (next < signatures.length && signatures[next].tick <= tick + 1) {
      signature = signatures[next]
      next++
      inBar = 0
    }
    const time = timeOf(tick)
    if (time > seconds) break
    if (tick >= first - ticks / 8) {
      beats.push(time)
      if (inBar % signature.beats === 0) downbeats.push(time)
    }
    inBar++
  }
  return { beats, downbeats, metre: signature.beats }
}

/** How far notes must agree on where in a sixteenth, or in a triplet, they begin, 0..1. */
const ON_THE_BEAT = 0.3

/**
 * Whether the notes of a MIDI file keep to the beats that its tempo map tells. Some were played freely beside a click that
 * nobody heard: their map says nothing about the music, and their notes begin anywhere in a beat.
 */
export function keepsItsBeats(bytes: Uint8Array): boolean {
  const midi = parseMidi(bytes)
  const beat = midi.header.ticksPerBeat ?? 480
  const agree = (parts: number) => {
    let x = 0
    let y = 0
    let n = 0
    for (const track of midi.tracks) {
      let tick = 0
      for (const event of track) {
        tick += event.deltaTime
        if (event.type !== 'noteOn' || event.velocity === 0) continue
        x += Math.cos((2 * Math.PI * tick * parts) / beat)
        y += Math.sin((2 * Math.PI * tick * parts) / beat)
        n++
      }
    }
    return Math.hypot(x, y) / Math.max(1, n)
  }
  return Math.max(agree(4), agree(3)) >= ON_THE_BEAT
}
