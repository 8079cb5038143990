// Accompaniments in the styles of the mma package (apt-get install mma): some three hundred, from waltzes to techno, as
// musicians wrote them down, over chords made up here; whole bands, bands without drums, drums alone.
import midi from '@tonejs/midi'
import { execFileSync } from 'node:child_process'
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { chance, type Chance } from './chance'
import { degreesOf, keyOf, METERS } from './pieces'
import { evenly, played } from './sampler'
import type { Piece } from './types'

const LIBRARY = '/usr/share/mma/lib'

/** True where the styles and what reads them are installed. */
export const canReadStyles = (): boolean => existsSync('/usr/bin/mma') && existsSync(LIBRARY)

interface Style {
  readonly name: string
  readonly grooves: readonly string[]
  readonly meter: '4/4' | '3/4' | '6/8'
  /** Ticks of a bar, in quarters: what the style calls beats. */
  readonly quarters: number
}

/** Grooves that are no part of an even accompaniment. */
const OTHER = /intro|end|fill|metronome|count|stop|break|hit|tag|solo|rubato/i

/** A style of one meter from its text; none where it has several, or one that is not looked for. */
export function readStyle(name: string, text: string): Style | undefined {
  const times = [...text.matchAll(/^\s*Time\s+(\d+)/gim)].map((m) => Number(m[1]))
  const signs = [...text.matchAll(/^\s*TimeSig\s+(\d+)[\s/]+(\d+)/gim)].map((m) => `${m[1]}/${m[2]}`)
  const grooves = [...text.matchAll(/^\s*DefGroove\s+(\S+)/gim)]
    .map((m) => m[1]!)
    .filter((g) => !OTHER.test(g))
  const [quarters, sign] = [times[0], signs[0] ?? { 4: '4/4', 3: '3/4', 6: '6/8' }[times[0] ?? 0]]
  const single = new Set(times).size === 1 && new Set(signs).size <= 1
  if (!single || !quarters || !grooves.length) return undefined
  if (sign !== '4/4' && sign !== '3/4' && sign !== '6/8') return undefined
  if (sign !== '6/8' && METERS[sign]!.beatsPerBar !== quarters) return undefined
  return { name, grooves, meter: sign, quarters }
}

/** Every fourth style is measured with, the others are for fitting. */
const HELD = 4

function styles(half: 'held' | 'fitted'): Style[] {
  const folders = readdirSync(LIBRARY).filter((f) => !f.includes('.'))
  const files = folders.sort().flatMap((folder) =>
    readdirSync(path.join(LIBRARY, folder))
      .filter((f) => f.endsWith('.mma'))
      .sort()
      .map((f) => path.join(LIBRARY, folder, f)),
  )
  return files
    .filter((_, i) => (i % HELD === 0) === (half === 'held'))
    .flatMap((f) => readStyle(path.basename(f, '.mma'), readFileSync(f, 'latin1')) ?? [])
}

/** Beats a minute that suit a style, going by its name. */
function tempoFor({ name, meter }: Style, random: Chance): number {
  if (meter === '6/8') return random.between(150, 330)
  if (/ballad|slow|lullaby|hymn/i.test(name)) return random.between(56, 92)
  if (/fast|quick|bebop|bluegrass|polka|trance|techno|rave/i.test(name)) return random.between(130, 210)
  return meter === '3/4' ? random.between(80, 190) : random.between(78, 165)
}

const NAMES = ['C', 'C#', 'D', 'Eb', 'E', 'F', 'F#', 'G', 'Ab', 'A', 'Bb', 'B']
/** Semitones of the degrees of a scale, and what kind of chord is on each. */
const SCALES = {
  major: { steps: [0, 2, 4, 5, 7, 9, 11], chords: ['', 'm', 'm', '', '7', 'm', 'dim'] },
  minor: { steps: [0, 2, 3, 5, 7, 8, 10], chords: ['m', 'dim', '', 'm', '7', '', ''] },
} as const

/** The text of an accompaniment: phrases of a groove, with another one for the second half of them. */
function text(style: Style, bpm: number, bars: number, random: Chance, seed: number): string {
  const key = keyOf(random)
  const { steps, chords } = SCALES[key.mode]
  const named = (degree: number): string => {
    const d = ((degree % 7) + 7) % 7
    return NAMES[(key.tonic + steps[d]!) % 12]! + chords[d]!
  }
  const [one, two] = [degreesOf(key, random), degreesOf(key, random)]
  const [a, b] = [random.pick(style.grooves), random.pick(style.grooves)]
  const fast = random.often(0.25)
  const lines = Array.from({ length: bars }, (_, i) => {
    const degrees = Math.floor(i / 8) % 2 ? two : one
    const chord = named(degrees[i % degrees.length]!)
    const second = fast && i % 4 === 3 ? ` ${'/ '.repeat(Math.floor(style.quarters / 2) - 1)}${named(4)}` : ''
    const groove = i % 16 === 0 ? [`Groove ${a}`] : i % 16 === 8 ? [`Groove ${b}`] : []
    return [...groove, `${i + 1} ${chord}${second}`].join('\n')
  })
  const quarters = (bpm * style.quarters) / METERS[style.meter]!.beatsPerBar
  return [`RndSeed ${seed}`, `Tempo ${quarters.toFixed(3)}`, ...lines, ''].join('\n')
}

/** Which channels are left: all, all but the drums, the drums, or the drums and the bass. */
const BANDS = ['all', 'all', 'all', 'all', 'no drums', 'no drums', 'drums', 'drums and bass'] as const
/** Bass programs of General MIDI. */
const isBass = (program: number): boolean => program >= 32 && program < 40
/** Longest that is analysed, seconds. */
const LONGEST = 60

function accompaniment(style: Style, seed: number): Piece[] {
  const random = chance(seed)
  const meter = METERS[style.meter]!
  const bpm = tempoFor(style, random)
  const seconds = random.often(0.3) ? random.between(8, 20) : random.between(25, LONGEST)
  const bar = (60 * meter.beatsPerBar) / bpm
  const bars = Math.ceil(seconds / bar) + 6
  const folder = mkdtempSync(path.join(tmpdir(), 'styles-'))
  try {
    const source = path.join(folder, 'a.mma')
    writeFileSync(source, text(style, bpm, bars, random, seed))
    execFileSync('mma', ['-f', path.join(folder, 'a.mid'), source], { stdio: 'ignore' })
    return recorded(new midi.Midi(readFileSync(path.join(folder, 'a.mid'))), style, bar, seconds, random)
  } finally {
    rmSync(folder, { recursive: true })
  }
}

/** The file as it is played: at a tempo that is even, or drifts from bar to bar, from its beginning or from anywhere. */
function recorded(
  file: InstanceType<typeof midi.Midi>,
  style: Style,
  bar: number,
  seconds: number,
  random: Chance,
): Piece[] {
  const meter = METERS[style.meter]!
  const { header } = file
  const ticks = style.quarters * header.ppq
  const bars = Math.floor(file.durationTicks / ticks)
  const drifts = random.often(0.3)
  const band = random.pick(BANDS)
  for (const t of file.tracks) if (!has(band, t.channel === 9, isBass(t.instrument.number))) t.notes.splice(0)
  file.tracks.splice(0, file.tracks.length, ...file.tracks.filter((t) => t.notes.length))
  if (file.tracks.reduce((n, t) => n + t.notes.length, 0) < 2 * bars) return []
  const even = (60 * style.quarters) / bar
  let pull = 0
  header.tempos = Array.from({ length: drifts ? bars : 1 }, (_, i) => {
    pull = drifts ? 0.8 * pull + random.loose(0.012) : 0
    return { ticks: i * ticks, bpm: even * Math.exp(pull) }
  })
  header.update()
  // Looser than it was written.
  const loose = random.between(0, 0.006) * (even / 60) * header.ppq
  for (const t of file.tracks)
    for (const n of t.notes) n.ticks = Math.max(0, Math.round(n.ticks + random.loose(loose)))
  const all = played(evenly(file), random.often(0.5))
  const from = random.often(0.5) ? 0 : random.between(0, 4 * bar)
  const to = Math.min(from + seconds, header.ticksToSeconds(bars * ticks), all[0]!.length / 44100)
  const within = (times: readonly number[]): number[] =>
    times.filter((t) => t >= from && t < to).map((t) => t - from)
  const step = ticks / meter.beatsPerBar
  const beats = Array.from({ length: bars * meter.beatsPerBar }, (_, i) => header.ticksToSeconds(i * step))
  const inside = within(beats)
  if (inside.length < 8) return []
  const piece: Piece = {
    name: `${style.name} ${band}`,
    kind: 'mix',
    loop: false,
    sampleRate: 44100,
    channels: all.map((c) => c.slice(Math.round(from * 44100), Math.round(to * 44100))),
    onsets: [],
    bpm: (60 * (inside.length - 1)) / (inside[inside.length - 1]! - inside[0]!),
    steady: !drifts,
    beats: inside,
    downbeats: within(beats.filter((_, i) => i % meter.beatsPerBar === 0)),
    meter,
  }
  return [piece]
}

const has = (band: (typeof BANDS)[number], drums: boolean, bass: boolean): boolean =>
  band === 'all' || (band === 'no drums' ? !drums : drums || (bass && band === 'drums and bass'))

/** Makers of one recording of each style, or of none where too little is left of it. */
export const stylesFrom = (half: 'held' | 'fitted', seed: number): (() => Piece[])[] =>
  styles(half).map((style, i) => () => accompaniment(style, seed + i))
