// Voices at once that say the same vowels, and how far what became of them is from the timbre it should have.
import { frameReader } from './frames'
import { db } from './measure'
import { voice, type Voiced } from './voice'

const RATE = 44100
/** Third-octave bands from 100 Hz to 5 kHz. Source: IEC 61260-1:2014 (exact mid-band frequencies to the base of 10). */
const BANDS = Array.from({ length: 18 }, (_, i) => 1000 * 10 ** ((i - 10) / 10))
const HALF_BAND = 10 ** 0.05
const SIZE = 8192
/** The band that each bin of a frame lies in; -1 outside all. */
const BAND_OF = Array.from({ length: SIZE / 2 }, (_, k) =>
  BANDS.findIndex((hz) => Math.abs(Math.log((k * RATE) / SIZE / hz)) <= Math.log(HALF_BAND)),
)
/** Ends of vowels that are not judged, seconds. */
const EDGE = 0.06
/** Bands so far below the loudest are not heard beside it, dB. */
const QUIET = -40
const VIBRATO = 15

export type Choir = Pick<Voiced, 'channels' | 'vowels'>

/** Voices of some pitches, every second with a little vibrato; transposed by a factor with their formants where they were. */
export function choir(pitches: readonly number[], factor: number): Choir {
  const voices = pitches.map((hz, i) => voice(hz, factor, i % 2 ? VIBRATO : 0, 0.6))
  const sum = new Float32Array(voices[0]!.channels[0]!.length)
  for (const v of voices) v.channels[0]!.forEach((s, i) => (sum[i]! += s))
  return { channels: [sum], vowels: voices[0]!.vowels }
}

/** Levels of the bands of a vowel, dB. */
function bandLevels(x: Float32Array, from: number, to: number): number[] {
  const reader = frameReader(SIZE)
  const spectrum = new Float32Array(SIZE)
  const powers = BANDS.map(() => 1e-20)
  for (let t = from; t + SIZE / RATE <= to; t += SIZE / 4 / RATE) {
    reader.read(x, Math.round(t * RATE), spectrum)
    for (let k = 1; k < SIZE / 2; k++) {
      const b = BAND_OF[k]!
      if (b >= 0) powers[b]! += spectrum[2 * k]! ** 2 + spectrum[2 * k + 1]! ** 2
    }
  }
  return powers.map((p) => db(Math.sqrt(p)))
}

/**
 * Distance of an output's timbre from the one wanted, dB: root mean square of the levels of third octaves against each
 * other, less their mean, as loudness is no timbre; mean over vowels.
 */
export function timbreDistance(wanted: Choir, output: Float32Array): number {
  const each = wanted.vowels.map(({ from, to }) => {
    const [a, b] = [wanted.channels[0]!, output].map((x) => bandLevels(x, from + EDGE, to - EDGE))
    const top = Math.max(...a!)
    const off = a!.flatMap((level, i) => (level > top + QUIET ? [b![i]! - level] : []))
    const mean = off.reduce((sum, d) => sum + d, 0) / off.length
    return Math.sqrt(off.reduce((sum, d) => sum + (d - mean) ** 2, 0) / off.length)
  })
  return each.reduce((sum, d) => sum + d, 0) / each.length
}
