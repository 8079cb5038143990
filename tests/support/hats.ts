// A tone that rings on under hats, and what became of it.
import { addPartials } from '../../bench/corpus/partials'
import { db, percentile } from './measure'
import { noise, sine, type Played } from './signals'

const LEVEL = 0.3
/** Hats follow each other unevenly, and each dies away, seconds. */
const APART = [0.17, 0.19, 0.16, 0.18]
const DECAY = 0.02
const LENGTH = 0.08

/**
 * A steady tone under hats that have next to nothing at its frequency.
 *
 * @param gain of the hats against the tone, dB
 * @param pace how much faster the hats are: 1.4 for sixteenths of 120 a minute, about
 */
export const toneUnderHats = (hz: number, seconds: number, rate: number, gain: number, pace = 1): Played =>
  underHats(sine(hz, seconds, rate, LEVEL), rate, gain, pace)

/** Partials of a note of a chord, and how much softer than `LEVEL` the first is; the others have a share of that by their number. */
const PARTIALS = 6
const SOFTER = 1 / 3

/** Frequencies and levels of all partials of a chord. @param notes Hz */
export const partialsOf = (notes: readonly number[]): { readonly hz: number; readonly level: number }[] =>
  notes.flatMap((hz) =>
    Array.from({ length: PARTIALS }, (_, i) => ({ hz: hz * (i + 1), level: (LEVEL * SOFTER) / (i + 1) })),
  )

/** A steady chord under the same hats. @param notes Hz */
export function chordUnderHats(
  notes: readonly number[],
  seconds: number,
  rate: number,
  gain: number,
): Played {
  const x = new Float32Array(Math.round(seconds * rate))
  const partials = partialsOf(notes).map(({ hz, level }, k) => ({
    hz,
    amplitude: level,
    phase: k,
    decay: Infinity,
  }))
  addPartials(x, 0, x.length, partials, rate)
  return underHats(x, rate, gain, 1)
}

function underHats(x: Float32Array, rate: number, gain: number, pace: number): Played {
  const seconds = x.length / rate
  const attacks: number[] = []
  for (let t = 0.31, k = 0; t < seconds - 0.2; t += APART[k++ % APART.length]! / pace) {
    const at = Math.round(t * rate)
    const white = noise(LENGTH, rate, 1, 100 + k)
    attacks.push(at)
    // Second difference: the lower a frequency, the less there is of it.
    for (let i = 2; i < white.length; i++) {
      const v = white[i]! - 2 * white[i - 1]! + white[i - 2]!
      x[at + i - 2]! += 0.5 * LEVEL * 10 ** (gain / 20) * v * Math.exp(-i / (DECAY * rate))
    }
  }
  return { channels: [x], sampleRate: rate, attacks }
}

/** Moves of attacks in turn, as shares of the most. */
const MOVES = [0.4, -0.9, 0.7, 1, -0.3, -1, 0.1, -0.6, 0.9]

/** A map that moves every attack a little, at a ratio besides. @param most seconds */
export const movedMap = (
  { channels, attacks, sampleRate }: Played,
  ratio: number,
  most: number,
): { readonly source: number; readonly target: number }[] => [
  { source: 0, target: 0 },
  ...attacks.map((source, i) => ({
    source,
    target: Math.round(source * ratio + most * sampleRate * MOVES[i % MOVES.length]!),
  })),
  { source: channels[0]!.length, target: Math.round(channels[0]!.length * ratio) },
]

/** A tone is looked at every so many samples. */
const STEP = 64

/**
 * What became of a tone: its softest and loudest moment, dB, and its pitch's distance, cents, 95th percentile.
 *
 * @param level its amplitude
 * @param over seconds that it is looked at through: short enough to show a dip of a few milliseconds, and hats are hardly seen; longer
 * where another tone is near
 */
export function toneAfter(y: Float32Array, hz: number, rate: number, level = LEVEL, over = 0.02 + 1.5 / hz) {
  const width = Math.round(over * rate)
  const turn = (2 * Math.PI * hz) / rate
  const first = Math.round(rate / 2)
  // A window of one minus a cosine is three turns; the sum of a turn over any stretch is a difference of sums from the start.
  const turns = [0, -1, 1].map((side) => {
    const around = turn + (side * 2 * Math.PI) / width
    // The sides begin half a sample later.
    return { around, late: (side * Math.PI) / width, weight: side === 0 ? 1 : -0.5, ...summed(y, around) }
  })
  const levels: number[] = []
  const phases: number[] = []
  for (let at = first; at + width + rate / 2 < y.length; at += STEP) {
    let [re, im] = [0, 0]
    for (const { around, late, weight, cosine, sine } of turns) {
      const [c, s] = [cosine[at + width]! - cosine[at]!, sine[at + width]! - sine[at]!]
      const back = around * at - late
      re += weight * (c * Math.cos(back) + s * Math.sin(back))
      im -= weight * (s * Math.cos(back) - c * Math.sin(back))
    }
    levels.push(db((2 * Math.hypot(re, im)) / width / level))
    phases.push(Math.atan2(im, re) - turn * at)
  }
  // Over 50 ms: what the ear takes for pitch, and not for a change of phase.
  const steps = Math.round((0.05 * rate) / STEP)
  const cents = phases.slice(steps).map((_, i) => {
    let turned = 0
    for (let k = i + 1; k <= i + steps; k++) {
      const d = phases[k]! - phases[k - 1]!
      turned += d - 2 * Math.PI * Math.round(d / (2 * Math.PI))
    }
    return Math.abs(1200 * Math.log2(1 + (turned * rate) / (2 * Math.PI * steps * STEP) / hz))
  })
  return { softest: Math.min(...levels), loudest: Math.max(...levels), cents: percentile(cents, 0.95) }
}

/** Sums of a signal times the cosine and the sine of a turning angle, radians a sample, up to every sample. */
function summed(
  y: Float32Array,
  turn: number,
): { readonly cosine: Float64Array; readonly sine: Float64Array } {
  const [cosine, sine] = [new Float64Array(y.length + 1), new Float64Array(y.length + 1)]
  const [c, s] = [Math.cos(turn), Math.sin(turn)]
  let [re, im, a, b] = [1, 0, 0, 0]
  for (let i = 0; i < y.length; i++) {
    // Turned on from sample to sample, and set right before rounding adds up.
    if (i % 1024 === 0) {
      re = Math.cos(turn * i)
      im = Math.sin(turn * i)
    }
    cosine[i + 1] = a += y[i]! * re
    sine[i + 1] = b += y[i]! * im
    const next = re * c - im * s
    im = re * s + im * c
    re = next
  }
  return { cosine, sine }
}

/** Seconds that tells partials 65 Hz from each other. */
const OVER = 0.1

/** What became of the partials of a chord that lie apart from all others: means, and the worst of their pitches. @param notes Hz */
export function chordAfter(y: Float32Array, notes: readonly number[], rate: number) {
  const all = partialsOf(notes)
  const apart = all.filter((a) => all.every((b) => a === b || Math.abs(a.hz - b.hz) * OVER > 3))
  const after = apart.map(({ hz, level }) => toneAfter(y, hz, rate, level, OVER))
  const mean = (of: (t: (typeof after)[number]) => number): number =>
    after.reduce((sum, t) => sum + of(t), 0) / after.length
  return {
    softest: mean((t) => t.softest),
    loudest: mean((t) => t.loudest),
    cents: mean((t) => t.cents),
    worst: Math.max(...after.map((t) => t.cents)),
  }
}
