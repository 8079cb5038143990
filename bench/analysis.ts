// The analysis on recordings that were not used while developing it, beside reference libraries on the same files.
import { bandsFrom, corpus } from './corpus/corpus'
import { dancesFrom } from './corpus/dances'
import { drummingFrom } from './corpus/drumming'
import { flamsFrom } from './corpus/flams'
import { laterScore, type LaterScore } from './fit/later'
import { sampledCorpus } from './corpus/sampled'
import { evenLoopsFrom, offbeatsFrom } from './corpus/one-drum'
import { restsFrom } from './corpus/rests'
import { songsFrom } from './corpus/songs'
import { stemsFrom } from './corpus/stems'
import { canReadCompositions, compositions } from './corpus/compositions'
import { canReadStyles, stylesFrom } from './corpus/styles'
import { canReadTunes, tunesFrom } from './corpus/tunes'
import { canPlaySamples } from './corpus/sampler'
import type { Piece } from './corpus/types'
import { aubioEstimate, essentiaEstimate } from './references'
import { median, onsetScore } from '../tests/support/measure'
import { beatScore, keyScore, noteScore, pitchScore, type Key } from '../tests/support/scores'
import { analyse, defaultAttacks, measure } from '../src/core/analysis/analyse'
import type { Transient } from '../src/core/analysis/transients'
import { toMono } from '../src/core/audio/buffer'

/** What an analysis says of a recording; times in seconds. What a library does not say is left out. */
export interface Estimate {
  readonly onsets?: readonly number[]
  readonly beats?: readonly number[]
  readonly downbeats?: readonly number[]
  readonly bpm?: number
  readonly steady?: boolean
  readonly beatsPerBar?: number
  readonly pitch?: { readonly hop: number; readonly f0: ArrayLike<number> }
  readonly notes?: readonly { readonly start: number; readonly midi: number }[]
  readonly key?: Key
  /** Stretch method. */
  readonly suggested?: string
}

const seconds = (transients: readonly Transient[], rate: number): number[] =>
  defaultAttacks(transients, rate).map((t) => t.at / rate)

/** The attacks that ours finds in force. */
export const onsetsOf = (p: Piece): number[] =>
  seconds(measure(p.channels, p.sampleRate).transients, p.sampleRate)

/** What our analysis says. */
export function ours(p: Piece): Estimate {
  const f = analyse(p.channels, p.sampleRate)
  const key = f.keys[0]
  return {
    onsets: seconds(f.transients, p.sampleRate),
    beats: f.beats.map((b) => b.time),
    downbeats: f.beats.filter((b) => b.beat === 1).map((b) => b.time),
    bpm: f.tempo.bpm,
    steady: f.tempo.steady,
    beatsPerBar: f.meter.beatsPerBar,
    pitch: f.pitch,
    notes: f.notes,
    suggested: f.material.suggested,
    ...(key ? { key } : {}),
  }
}

/** Figures by name; each is a mean over its recordings. */
export class Table {
  private readonly sums = new Map<string, [number, number]>()
  add(name: string, value: number, weight = 1): void {
    if (!Number.isFinite(value)) return
    const [sum, n] = this.sums.get(name) ?? [0, 0]
    this.sums.set(name, [sum + value * weight, n + weight])
  }
  get(name: string): number {
    const [sum, n] = this.sums.get(name) ?? [NaN, 1]
    return sum / n
  }
  get names(): string[] {
    return [...this.sums.keys()]
  }
}

type Meant = 'hits' | 'line' | 'chords' | 'mix'

/** The method that is meant for what plays; undefined where nobody knows what does. */
function methodFor(p: Piece): Meant | undefined {
  if (p.kind === 'drums') return 'hits'
  if (p.kind === 'mix') return p.drums === undefined ? undefined : p.drums ? 'mix' : 'chords'
  if (p.kind === 'chords') return 'chords'
  // Choirs and sections have no notes that anyone could tell.
  return p.kind === 'soft' && !p.notes ? 'chords' : 'line'
}

/** Plucked strings and bells play lines, but ring on and are seldom harmonic: Chords is right, too. */
const suits = (p: Piece, method: Meant, suggested: string): boolean =>
  suggested === method || (method === 'line' && p.kind === 'plucked' && suggested === 'chords')

const near = (a: number, b: number): number => (Math.abs(a / b - 1) <= 0.04 ? 1 : 0)

/** Scores one estimate of one recording into a table. */
export function judge(p: Piece, e: Estimate, t: Table): void {
  if (e.onsets && p.onsets.length) {
    const wide = onsetScore(p.onsets, e.onsets, 0.05)
    t.add(`transients ${p.kind}: F ±50 ms`, wide.f)
    if (p.kind !== 'soft' && p.kind !== 'sung') {
      const narrow = onsetScore(p.onsets, e.onsets, 0.01).f
      t.add(`transients ${p.kind}: F ±10 ms`, narrow)
      if (!p.swelling) t.add(`transients ${p.kind}, all struck: F ±10 ms`, narrow)
      t.add(`transients ${p.kind}: median error, ms`, 1000 * median(wide.errors.map(Math.abs)))
    }
  }
  if (p.beats && p.downbeats && p.bpm && p.meter) {
    const who = p.loop ? 'loops' : 'pieces'
    if (e.bpm !== undefined) {
      t.add(`tempo ${who}: accuracy 1`, near(e.bpm, p.bpm))
      const any = Math.max(...[1, 2, 0.5, 3, 1 / 3].map((k) => near(e.bpm!, p.bpm! * k)))
      t.add(`tempo ${who}: accuracy 2`, any)
    }
    if (e.steady !== undefined) t.add('tempo: steady or changing', e.steady === p.steady ? 1 : 0)
    if (e.beats) {
      const s = beatScore(p.beats, e.beats)
      t.add('beats: F', onsetScore(p.beats, e.beats, 0.07).f)
      t.add('beats: CMLt', s.cmlt)
      t.add('beats: AMLt', s.amlt)
    }
    if (e.downbeats) t.add('downbeats: F', onsetScore(p.downbeats, e.downbeats, 0.07).f)
    if (e.beatsPerBar !== undefined) t.add('beats a bar', e.beatsPerBar === p.meter.beatsPerBar ? 1 : 0)
  }
  if (p.pitch && e.pitch) {
    const at = (i: number): number => e.pitch!.f0[Math.round((i * p.pitch!.hop) / e.pitch!.hop)] ?? 0
    const s = pitchScore(
      p.pitch.f0,
      p.pitch.f0.map((_, i) => at(i)),
    )
    t.add('pitch: within 50 cents', s.within50 / s.voiced, s.voiced)
    t.add('pitch: within 20 cents', s.within20 / s.voiced, s.voiced)
    t.add('pitch: chroma', s.chroma / s.voiced, s.voiced)
    t.add('pitch: voicing recall', s.recall / s.voiced, s.voiced)
    t.add('pitch: false alarm', s.alarm / s.unvoiced, s.unvoiced)
  }
  if (p.notes && e.notes) {
    const s = noteScore(p.notes, e.notes)
    t.add(`notes ${p.kind}: F`, s.f)
    t.add(`notes ${p.kind}: mean error, cents`, s.cents.reduce((a, b) => a + b, 0) / s.cents.length)
  }
  const method = methodFor(p)
  if (method && e.suggested) t.add(`method suggested: ${method}`, suits(p, method, e.suggested) ? 1 : 0)
  if (p.key && e.key) t.add(p.notes ? 'key of lines' : 'key of harmony', keyScore(p.key, e.key))
}

const line = (cells: readonly string[]): void =>
  void process.stdout.write(cells.map((c, i) => (i ? c.padStart(10) : c.padEnd(44))).join('') + '\n')

/** A maker makes a recording, or several of one score. */
type Makers = readonly (() => Piece | readonly Piece[])[]

function* made(makers: Makers): Iterable<Piece> {
  for (const make of makers) yield* [make()].flat()
}

type Estimator = (p: Piece) => Estimate

/** Scores estimators on recordings and prints a column for each. */
function benchOn(title: string, makers: Makers, estimators: Readonly<Record<string, Estimator>>): void {
  const names = Object.keys(estimators)
  const tables = names.map(() => new Table())
  let count = 0
  for (const p of made(makers)) {
    names.forEach((name, i) => judge(p, estimators[name]!(p), tables[i]!))
    count++
  }
  process.stdout.write(`\n${title}: ${count} recordings\n`)
  line(['', ...names])
  const figure = (v: number): string => (Number.isNaN(v) ? '-' : v.toFixed(3))
  for (const name of [...tables[0]!.names].sort((a, b) => a.localeCompare(b)))
    line([name, ...tables.map((t) => figure(t.get(name)))])
}

/** Seeds of the held half: one alone has some two dozen sampled bands, of which a single one is four per cent. */
const HELD_SEEDS = [770000, 870000, 970000]

/** Songs and tunes are played by both kinds of instruments, and are looked at for their beats, bars, keys and notes. */
const SONG_SEEDS = [770000, 870000]

/** The recordings that nothing was fitted or tried on. */
function held(seeds: readonly number[]): [string, Makers][] {
  const samples = canPlaySamples()
  if (!samples)
    process.stdout.write('Sampled instruments: install fluidsynth and fluid-soundfont-gm to measure them.\n')
  // The corpus has the bands of the first seed.
  return [
    ['Made by code, held out', [...corpus('held'), ...seeds.slice(1).flatMap(bandsFrom)]],
    ['Sampled instruments, held out', samples ? seeds.flatMap(sampledCorpus) : []],
  ]
}

/** Single tracks and songs made by code, and tunes, scores and styles that nobody here made up. */
function others(): Record<'stems' | 'songs' | 'scores' | 'styles' | 'tunes', [string, Makers]> {
  const samples = canPlaySamples()
  const [scores, styles] = [samples && canReadCompositions('held'), samples && canReadStyles()]
  const missing = [
    ...(canReadTunes() ? [] : ['abcmidi for tunes']),
    ...(scores ? [] : ['openttd-openmsx for scores']),
    ...(styles ? [] : ['mma for accompaniments']),
  ]
  if (missing.length) process.stdout.write(`Not measured: install ${missing.join(', ')}.\n`)
  return {
    stems: ['Basses and chords alone, held out', samples ? HELD_SEEDS.flatMap(stemsFrom) : []],
    songs: ['Songs, held out', samples ? SONG_SEEDS.flatMap(songsFrom) : []],
    scores: ['Scores of a game, held out', scores ? compositions('held', 1) : []],
    styles: ['Accompaniments in many styles, held out', styles ? stylesFrom('held', 1) : []],
    tunes: ['Traditional tunes', canReadTunes() ? tunesFrom(1) : []],
  }
}

/** Flams and strums: their events, the share of later attacks that is found, and of those found that are none. */
function benchLater(): void {
  if (!canPlaySamples()) return
  const totals = new Map<string, LaterScore[]>()
  for (const make of HELD_SEEDS.flatMap(flamsFrom)) {
    const p = make()
    totals.set(p.name, [...(totals.get(p.name) ?? []), laterScore(p)])
  }
  process.stdout.write('\nLater attacks of flams and strums, held out\n')
  line(['', 'F ±50 ms', 'F ±10 ms', 'there', 'found', 'of them', 'precision'])
  for (const [name, scores] of totals) {
    const sum = (k: keyof LaterScore): number => scores.reduce((s, one) => s + one[k], 0)
    line([
      name,
      (sum('wide') / scores.length).toFixed(3),
      (sum('narrow') / scores.length).toFixed(3),
      String(sum('there')),
      String(sum('found')),
      (sum('right') / sum('there')).toFixed(3),
      (1 - sum('wrong') / sum('found')).toFixed(3),
    ])
  }
}

/**
 * Figures by category on recordings that were not used while developing.
 *
 * @param asked 'sampled' asks for instruments and songs of a sound set only, of any that SOUNDS names; numbers ask for
 * sampled instruments of other seeds, which must not be those of bench/fit
 */
export function benchAnalysis(asked: readonly string[]): void {
  const seeds = asked.map(Number).filter((n) => n > 0)
  if (seeds.length)
    return benchOn(`Sampled instruments of ${seeds.join(', ')}`, seeds.flatMap(sampledCorpus), { ours })
  const [code, sampled] = held(HELD_SEEDS)
  const { stems, songs, scores, styles, tunes } = others()
  const resting: [string, Makers] = ['Loops that begin with a rest, held out', HELD_SEEDS.flatMap(restsFrom)]
  const dances: [string, Makers] = ['Dances on a drum alone, held out', dancesFrom(HELD_SEEDS[0]!)]
  const oneDrum: [string, Makers][] = [
    ['One drum, loud between the beats, held out', HELD_SEEDS.flatMap(offbeatsFrom)],
    ['Loops of one drum in even strokes, held out', HELD_SEEDS.flatMap(evenLoopsFrom)],
  ]
  const drumming: [string, Makers] = [
    'Drumming on sampled kits, held out',
    canPlaySamples() ? HELD_SEEDS.flatMap(drummingFrom) : [],
  ]
  const titled = asked.includes('sampled')
    ? [sampled!, drumming, stems, songs, scores, styles]
    : [code!, sampled!, drumming, resting, dances, ...oneDrum, stems, songs, scores, styles, tunes]
  for (const [title, makers] of titled) benchOn(title, makers, { ours })
  benchLater()
}

/** Onsets less the lateness that an estimate has on the recording as a whole, as favourable to it as can be. */
function inTime(p: Piece, e: Estimate): Estimate {
  if (!e.onsets) return e
  const late = median(onsetScore(p.onsets, e.onsets, 0.05).errors)
  return Number.isFinite(late) ? { ...e, onsets: e.onsets.map((t) => t - late) } : e
}

/**
 * The same beside reference libraries, on every third recording, as they take their time.
 *
 * @param asked 'code' or 'sampled'; neither asks for both
 */
export async function benchReferences(asked: readonly string[]): Promise<void> {
  const aubio = await aubioEstimate()
  const essentia = essentiaEstimate()
  const [code, sampled] = held(HELD_SEEDS.slice(0, 1))
  const both = [code!, sampled!].filter((_, i) => !asked.includes(i ? 'code' : 'sampled'))
  for (const [title, makers] of both)
    benchOn(
      `${title}, every third`,
      makers.filter((_, i) => i % 3 === 0),
      {
        ours,
        aubio: (p) => inTime(p, aubio(toMono(p.channels), p.sampleRate)),
        essentia: (p) => inTime(p, essentia(toMono(p.channels), p.sampleRate)),
      },
    )
}
