// What becomes of the sound that rings on after a stroke: its level by octave, along the map.
import { frameReader } from './frames'
import { magnitudes } from '../../src/core/dsp/magnitudes'
import { db } from './measure'
import { noise } from './signals'

const SIZE = 1024
const HOP = 256
/** Lowest octave's lower end, Hz, and how many there are. */
const LOWEST = 63
const OCTAVES = 8
/** Levels are those of so many frames together: 120 ms at 44.1 kHz. */
const TOGETHER = 21
/** What lies this far below an octave's loudest, or the loudest of all, is not heard, powers. */
const QUIET = 1e-5
const HIDDEN = 1e-6
/** What is so near to the stroke, or to the end, is not judged, seconds, of the original and of the output. */
const AFTER = 0.1
const BEFORE = 0.15

/** Power by octave and frame, smooth over time. */
function courses(x: Float32Array, rate: number): Float64Array[] {
  const reader = frameReader(SIZE)
  const [spectrum, mags] = [new Float32Array(SIZE), new Float32Array(SIZE / 2 + 1)]
  const count = Math.max(0, Math.floor((x.length - SIZE) / HOP))
  const octaves = Array.from({ length: OCTAVES }, () => new Float64Array(count))
  for (let f = 0; f < count; f++) {
    reader.read(x, f * HOP, spectrum)
    magnitudes(spectrum, mags).forEach((m, k) => {
      const octave = Math.floor(Math.log2((k * rate) / SIZE / LOWEST))
      if (octave >= 0 && octave < OCTAVES) octaves[octave]![f]! += m * m
    })
  }
  const half = TOGETHER >> 1
  return octaves.map((powers) =>
    powers.map((_, f) => {
      const some = powers.subarray(Math.max(0, f - half), f + half + 1)
      return some.reduce((sum, p) => sum + p, 0) / some.length
    }),
  )
}

/** How levels of a tail differ from those that the map asks for, dB. */
export interface TailChange {
  /** By how much they waver: standard deviation over time, mean over octaves; NaN where too little is left to judge. */
  readonly wavering: number
  /** Where an octave is farthest from its level, softer or louder. */
  readonly farthest: number
}

/**
 * Levels of a tail by octave from 63 Hz to 16 kHz over 120 ms, against those of the original where an even map takes them
 * from.
 *
 * @param stroke sample of the original where the stroke begins; what follows until its end is its tail
 */
export function tailChange(
  original: Float32Array,
  output: Float32Array,
  rate: number,
  ratio: number,
  stroke: number,
): TailChange {
  const [was, is] = [courses(original, rate), courses(output, rate)]
  const top = Math.max(...was.map((c) => Math.max(...c)))
  const edge = rate / Math.min(1, ratio)
  const [first, last] = [stroke + AFTER * edge, original.length - BEFORE * edge]
  const spread: number[] = []
  let farthest = 0
  was.forEach((course, octave) => {
    const most = Math.max(...course)
    const off: number[] = []
    is[octave]!.forEach((power, f) => {
      const at = (f * HOP) / ratio
      const wanted = course[Math.round(at / HOP)] ?? 0
      if (at < first || at > last || wanted < QUIET * most || wanted < HIDDEN * top) return
      off.push(db(Math.sqrt((power + 1e-20) / wanted)))
    })
    if (off.length === 0) return
    const mean = off.reduce((sum, d) => sum + d, 0) / off.length
    spread.push(Math.sqrt(off.reduce((sum, d) => sum + (d - mean) ** 2, 0) / off.length))
    for (const d of off) if (Math.abs(d) > Math.abs(farthest)) farthest = d
  })
  return { wavering: spread.reduce((sum, s) => sum + s, 0) / spread.length, farthest }
}

/** Bands of a cymbal by what limits them, and the seconds in which each falls to a thousandth. */
const BANDS = [
  { smooth: 1, fall: 1.2 },
  { smooth: 3, fall: 2 },
  { smooth: 9, fall: 3.5 },
]

/**
 * A cymbal: noise whose high parts die away before its low ones, after 0.2 s of silence.
 *
 * @returns samples, and the one where it is struck
 */
export function cymbal(
  seconds: number,
  rate: number,
  seed: number,
): { readonly x: Float32Array; readonly stroke: number } {
  const stroke = Math.round(0.2 * rate)
  const x = new Float32Array(stroke + Math.round(seconds * rate))
  BANDS.forEach(({ smooth, fall }, k) => {
    const n = noise(seconds + 0.1, rate, 0.25, seed + k)
    for (let i = stroke; i < x.length; i++) {
      let sum = 0
      for (let j = 0; j < smooth; j++) sum += n[i - stroke + j]!
      const t = (i - stroke) / rate
      x[i]! += (sum / Math.sqrt(smooth)) * 10 ** ((-3 * t) / fall)
    }
  })
  return { x, stroke }
}
