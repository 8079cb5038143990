// Sounds of a General MIDI set, stretched by us and by the libraries: chords with a tune above, and fast lines.
import { randomFrom } from '../../src/core/dsp/random'
import { rendered, type Event } from '../corpus/sampler'
import { spectralDistance, type Spectral } from './metrics'
import { references, type Stretching } from './references'
import { ours, RATE, row } from './signals'

/** Roots of chords, and the notes above them, semitones. */
const CHORDS: readonly (readonly [root: number, notes: readonly number[]])[] = [
  [48, [0, 4, 7]],
  [53, [0, 4, 9]],
  [45, [0, 3, 7, 12]],
  [50, [0, 3, 7]],
  [55, [0, 4, 7, 10]],
  [52, [0, 3, 10]],
  [48, [0, 7, 16]],
  [43, [0, 4, 7]],
]
const PROGRAMS = 112
const SECONDS = 10

/** A piece of chords, some of them strummed, with notes of theirs an octave up between; anew for every program. */
function score(program: number): Event[] {
  const random = randomFrom(9000 + program)
  const events: Event[] = []
  const apart = 0.6 + 0.5 * random()
  CHORDS.forEach(([root, notes], k) => {
    const start = 0.3 + k * apart
    const key = root + Math.round(4 * random())
    const strum = random() < 0.4 ? 0.012 : 0
    const level = (): number => 0.25 + 0.3 * random()
    notes.forEach((n, i) =>
      events.push({
        start: start + i * strum,
        end: start + 0.95 * apart,
        midi: key + n,
        level: level(),
        channel: 0,
      }),
    )
    for (const third of [1, 2])
      if (random() < 0.7) {
        const from = start + (third * apart) / 3
        const midi = key + 12 + notes[Math.floor(random() * 3)]!
        events.push({ start: from, end: from + apart / 3, midi, level: level(), channel: 0 })
      }
  })
  return events
}

/** Distance and convergence of ours, and the best of the libraries' of each. */
function compared(channels: readonly Float32Array[], ratio: number, own: Stretching, others: Stretching[]) {
  const of = (stretch: Stretching): Spectral =>
    spectralDistance(channels[0]!, stretch(channels, RATE, ratio)[0]!, ratio)
  const best = others.map(of)
  return {
    own: of(own),
    best: {
      distance: Math.min(...best.map((d) => d.distance)),
      convergence: Math.min(...best.map((d) => d.convergence)),
    },
  }
}

/**
 * Distances of every program at a ratio, and against the best of the libraries.
 *
 * @param every so many programs are left out between one and the next, and one more
 */
export async function programs(ratio: number, every: number): Promise<void> {
  process.stdout.write(`\nSounds of General MIDI at ${ratio}: of Chords and of the best library\n`)
  row(['program', 'LSD dB', 'best', 'converge', 'best'])
  const others = Object.values(await references())
  const nearer = [0, 0]
  let count = 0
  for (let program = 0; program < PROGRAMS; program += every) {
    const channels = rendered(score(program), new Map([[0, program]]), false).map((x) =>
      x.slice(0, SECONDS * RATE),
    )
    const { own, best } = compared(channels, ratio, ours('chords'), others)
    const { distance, convergence } = best
    count++
    if (own.distance < distance) nearer[0]!++
    if (own.convergence < convergence) nearer[1]!++
    row([
      String(program),
      own.distance.toFixed(2),
      distance.toFixed(2),
      own.convergence.toFixed(4),
      convergence.toFixed(4),
    ])
  }
  process.stdout.write(`Nearer than the best: ${nearer[0]} and ${nearer[1]} of ${count}\n`)
}

/** Programs that play fast lines, and their lowest note: basses, guitars, a banjo, a piano, a trumpet, saxophone and violin. */
const LINES = [
  [33, 28],
  [32, 28],
  [38, 28],
  [25, 45],
  [27, 45],
  [105, 50],
  [0, 48],
  [56, 55],
  [65, 50],
  [40, 60],
] as const
/** Sixteenths of 120 a minute, seconds, so many of them. */
const PACE = 0.125
const NOTES = 58

/** A line that goes up and down by steps and small leaps, with a rest now and then. */
function line(program: number, low: number): Event[] {
  const random = randomFrom(100 + program)
  let midi = low + 7
  return Array.from({ length: NOTES }, (_, k): Event[] => {
    const step = [-5, -3, -2, 2, 3, 4, 0][Math.floor(random() * 7)]!
    midi = Math.max(low, Math.min(low + 19, midi + step))
    if (random() > 0.9) return []
    const start = 0.3 + k * PACE
    return [{ start, end: start + 0.95 * PACE, midi, level: 0.4 + 0.3 * random(), channel: 0 }]
  }).flat()
}

/** Distances of Chords and Line from fast lines at a ratio, as shares of the best library's: geometric means. */
export async function fastLines(ratio: number): Promise<void> {
  process.stdout.write(`\nSixteenths at ${ratio}, against the best library\n`)
  row(['method', 'program', 'distance', 'convergence'])
  const others = Object.values(await references())
  const mean = (shares: readonly number[]): number =>
    Math.exp(shares.reduce((sum, x) => sum + Math.log(x), 0) / shares.length)
  for (const method of ['chords', 'line'] as const) {
    const shares = LINES.map(([program, low]) => {
      const channels = rendered(line(program, low), new Map([[0, program]]), false).map((x) =>
        x.slice(0, 8 * RATE),
      )
      const { own, best } = compared(channels, ratio, ours(method), others)
      const share = [own.distance / best.distance, own.convergence / best.convergence] as const
      row([method, String(program), share[0].toFixed(3), share[1].toFixed(3)])
      return share
    })
    row([method, 'all', mean(shares.map((s) => s[0])).toFixed(3), mean(shares.map((s) => s[1])).toFixed(3)])
  }
}
