// A tone that rings on under hats, and what became of it.
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
export function toneUnderHats(hz: number, seconds: number, rate: number, gain: number, pace = 1): Played {
  const x = sine(hz, seconds, rate, LEVEL)
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

/** What became of a tone: its softest and loudest moment, dB, and its pitch's distance, cents, 95th percentile. */
export function toneAfter(y: Float32Array, hz: number, rate: number) {
  // Short enough to show a dip of a few milliseconds, and hats are hardly seen through it.
  const width = Math.round((0.02 + 1.5 / hz) * rate)
  const step = 64
  const window = Float32Array.from(
    { length: width },
    (_, i) => 1 - Math.cos((2 * Math.PI * (i + 0.5)) / width),
  )
  const levels: number[] = []
  const phases: number[] = []
  for (let at = Math.round(rate / 2); at + width + rate / 2 < y.length; at += step) {
    let [re, im] = [0, 0]
    for (let i = 0; i < width; i++) {
      const p = (2 * Math.PI * hz * (at + i)) / rate
      re += window[i]! * y[at + i]! * Math.cos(p)
      im -= window[i]! * y[at + i]! * Math.sin(p)
    }
    levels.push(db((2 * Math.hypot(re, im)) / width / LEVEL))
    phases.push(Math.atan2(im, re))
  }
  // Over 50 ms: what the ear takes for pitch, and not for a change of phase.
  const over = Math.round((0.05 * rate) / step)
  const cents = phases.slice(over).map((_, i) => {
    let turned = 0
    for (let k = i + 1; k <= i + over; k++) {
      const d = phases[k]! - phases[k - 1]!
      turned += d - 2 * Math.PI * Math.round(d / (2 * Math.PI))
    }
    return Math.abs(1200 * Math.log2(1 + (turned * rate) / (2 * Math.PI * over * step) / hz))
  })
  return { softest: Math.min(...levels), loudest: Math.max(...levels), cents: percentile(cents, 0.95) }
}
