// Music for games as Debian carries it (apt-get install openttd-openmsx simutrans-data freedoom): scores of several dozen
// composers, played by the sampler as they are written. Nobody here made up their rhythms, forms or changes of tempo.
import midi from '@tonejs/midi'
import { existsSync, readdirSync, readFileSync } from 'node:fs'
import path from 'node:path'
import { chance } from './chance'
import { METERS } from './pieces'
import { evenly, played } from './sampler'
import type { Piece } from './types'

const GAMES = '/usr/share/games'
/** Files of scores, or of many things among which there are scores. */
const SOURCES = {
  held: [`${GAMES}/openttd/baseset/openmsx`],
  fitted: [`${GAMES}/simutrans/music`, `${GAMES}/doom/freedoom1.wad`, `${GAMES}/doom/freedoom2.wad`],
} as const

/** True where the scores of one half are installed. */
export const canReadCompositions = (half: keyof typeof SOURCES): boolean =>
  SOURCES[half].every((f) => existsSync(f))

interface Score {
  readonly name: string
  readonly bytes: Uint8Array
}

const isScore = (bytes: Uint8Array): boolean => new TextDecoder().decode(bytes.subarray(0, 4)) === 'MThd'

/** The scores in a folder. */
function inFolder(folder: string): Score[] {
  const files = readdirSync(folder).filter((f) => f.endsWith('.mid'))
  return files.sort().map((f) => ({ name: f.slice(0, -4), bytes: readFileSync(path.join(folder, f)) }))
}

/** Scores among the parts of a file that has a table of them: 16 bytes each, where it begins, how long it is, and its name. */
export function scoresIn(data: Uint8Array): Score[] {
  const view = new DataView(data.buffer, data.byteOffset)
  const [count, table] = [view.getInt32(4, true), view.getInt32(8, true)]
  return Array.from({ length: count }, (_, i) => {
    const [from, size] = [view.getInt32(table + 16 * i, true), view.getInt32(table + 16 * i + 4, true)]
    const letters = data.subarray(table + 16 * i + 8, table + 16 * i + 16)
    return { name: String.fromCharCode(...letters.filter((c) => c)), bytes: data.slice(from, from + size) }
  }).filter((s) => isScore(s.bytes))
}

/** A change of tempo up to this share of it is none. */
const STEADY = 0.003

type Header = InstanceType<typeof midi.Midi>['header']

/** Beats and bars as the header of a score says them, seconds, with the meters that it has until then. */
export function beatsOf(header: Header, until: number) {
  const signs = header.timeSignatures.map(({ ticks, timeSignature: [top, unit] }) => ({
    ticks,
    top: top!,
    unit: unit!,
  }))
  if (!signs.length || signs[0]!.ticks > 0) signs.unshift({ ticks: 0, top: 4, unit: 4 })
  const [beats, downbeats]: [number[], number[]] = [[], []]
  signs.forEach(({ ticks, top, unit }, i) => {
    const step = (header.ppq * 4) / unit
    for (let k = 0; ticks + k * step < (signs[i + 1]?.ticks ?? Infinity); k++) {
      const at = header.ticksToSeconds(ticks + k * step)
      if (at >= until) break
      beats.push(at)
      if (k % top === 0) downbeats.push(at)
    }
  })
  return { beats, downbeats, signs: signs.filter((s) => header.ticksToSeconds(s.ticks) < until) }
}

/** Parts of a recording: from the beginning on, from somewhere on, and a short one. Seconds. */
const PARTS = [
  { latest: 0, length: 75 },
  { latest: 0.5, length: 50 },
  { latest: 0.7, length: 18 },
]

/** Cells a quarter in which notes are counted, and how strong any but the first and the middle one may be beside that. */
const CELLS = 12
const ASIDE = 0.87

/**
 * True where the notes lie on the beats of the header: some scores were played in freely, or are counted another way
 * than they are written.
 */
export function keepsItsBeats(source: InstanceType<typeof midi.Midi>): boolean {
  const { ppq, timeSignatures } = source.header
  const cells = new Float64Array(CELLS)
  for (const n of source.tracks.flatMap((t) => t.notes)) {
    const origin = timeSignatures.reduce((at, s) => (s.ticks <= n.ticks ? s.ticks : at), 0)
    cells[Math.round((((n.ticks - origin) / ppq) % 1) * CELLS) % CELLS]! += n.velocity
  }
  return cells.every((v, i) => i % (CELLS / 2) === 0 || v < ASIDE * cells[0]!)
}

/** Parts of a score as it is played; none of those that have several meters, or one that is not looked for. */
function composition({ name, bytes }: Score, parts: typeof PARTS, seed: number): Piece[] {
  const random = chance(seed)
  const source = new midi.Midi(bytes)
  if (!keepsItsBeats(source)) return []
  const notes = source.tracks.flatMap((t) => t.notes).map((n) => n.time)
  const [first, last] = [Math.min(...notes), Math.max(...notes)]
  const all = played(evenly(source))
  const seconds = all[0]!.length / 44100
  const { beats, downbeats } = beatsOf(source.header, seconds)
  return parts.flatMap(({ latest, length }) => {
    const from = random.between(0, latest) * Math.max(0, last - length)
    const to = Math.min(seconds, from + length)
    const { signs } = beatsOf(source.header, to)
    const bars = [...new Set(signs.map((s) => `${s.top}/${s.unit}`))]
    const meter = METERS[bars[0]!]
    if (bars.length > 1 || !meter) return []
    const within = (times: readonly number[]): number[] =>
      times.filter((t) => t > first - 0.05 && t < last + 0.05 && t >= from && t < to).map((t) => t - from)
    const inside = within(beats)
    const gaps = inside.slice(1).map((b, i) => b - inside[i]!)
    const middle = [...gaps].sort((a, b) => a - b)[gaps.length >> 1]
    if (!middle || inside.length < 8) return []
    return {
      name: `${name} ${from.toFixed(0)} s`,
      kind: 'mix' as const,
      loop: false,
      sampleRate: 44100,
      channels: all.map((c) => c.slice(Math.round(from * 44100), Math.round(to * 44100))),
      onsets: [],
      bpm: 60 / middle,
      steady: gaps.every((g) => Math.abs(g / middle - 1) < STEADY),
      beats: inside,
      downbeats: within(downbeats),
      meter,
    }
  })
}

/**
 * Makers of the recordings of each score.
 *
 * @param half of the sources; @param seed decides where parts begin
 */
export function compositions(half: keyof typeof SOURCES, seed: number): (() => Piece[])[] {
  const scores = SOURCES[half].flatMap((s) =>
    s.endsWith('.wad') ? scoresIn(new Uint8Array(readFileSync(s))) : inFolder(s),
  )
  const different = [
    ...new Map(scores.map((s) => [`${s.bytes.length} ${s.bytes.subarray(0, 2000).join()}`, s])).values(),
  ]
  return different.map((score, i) => () => composition(score, PARTS, seed + i))
}
