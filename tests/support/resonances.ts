// Formants of a vowel by making it again: the resonances whose harmonics come nearest to those that sound.
import { levenbergMarquardt } from 'ml-levenberg-marquardt'

/** Length of a frame and distance of frames, seconds. */
const FRAME = 0.04
const HOP = 0.02
/** Harmonics up to here are compared, Hz: what lies above has little of the first three formants. */
const HIGHEST = 4500
/**
 * Where a single harmonic stands on a formant its level may be that of one formant or of another with another width. So formants
 * are looked for again with every tenth that one is another counting as much as a level that is off by 0.3 (2.6 dB), and those
 * are taken where levels are hardly farther off by it: by a hundredth in the mean (0.1 dB).
 */
const NEAREST = 3
const HARDLY = 0.01

/** Log gains of a chain of resonators, each 1 at 0 Hz, at frequencies: formants and bandwidths in Hz. */
function resonances(hz: readonly number[], formants: readonly number[], widths: readonly number[]): number[] {
  const near = formants.map((f) => 1 / f ** 2)
  const wide = formants.map((f, i) => (widths[i]! / f ** 2) ** 2)
  return hz.map((v) => {
    const square = v * v
    let product = 1
    for (let i = 0; i < near.length; i++) {
      const far = 1 - square * near[i]!
      product *= far * far + square * wide[i]!
    }
    return -0.5 * Math.log(product)
  })
}

interface Harmonics {
  /** Hz, and log amplitudes, one for every harmonic of every frame; `first` is where each frame's begin. */
  readonly hz: number[]
  readonly level: number[]
  readonly first: number[]
}

/** Levels of harmonics whose pitch is known while it moves. */
function harmonicsOf(
  x: Float32Array,
  rate: number,
  from: number,
  to: number,
  pitchAt: (t: number) => number,
): Harmonics {
  const all: Harmonics = { hz: [], level: [], first: [] }
  const size = Math.round(FRAME * rate)
  const hann = Float64Array.from(
    { length: size },
    (_, i) => 0.5 - 0.5 * Math.cos((2 * Math.PI * (i + 0.5)) / size),
  )
  const [cos, sin, re, im] = [0, 0, 0, 0].map(() => new Float64Array(size)) as [
    Float64Array,
    Float64Array,
    Float64Array,
    Float64Array,
  ]
  for (let t = from; t + FRAME <= to; t += HOP) {
    const at = Math.round(t * rate)
    for (let i = 0, turn = 0; i < size; i++) {
      if (i) turn += (2 * Math.PI * pitchAt((at + i) / rate)) / rate
      cos[i] = Math.cos(turn)
      sin[i] = -Math.sin(turn)
      re[i] = x[at + i]! * hann[i]!
      im[i] = 0
    }
    const hz = pitchAt((at + size / 2) / rate)
    all.first.push(all.hz.length)
    for (let k = 1; k * hz < HIGHEST; k++) {
      // What was turned back by one harmonic less is turned back once more.
      let sumRe = 0
      let sumIm = 0
      for (let i = 0; i < size; i++) {
        const r = re[i]! * cos[i]! - im[i]! * sin[i]!
        const m = re[i]! * sin[i]! + im[i]! * cos[i]!
        re[i] = r
        im[i] = m
        sumRe += r
        sumIm += m
      }
      all.hz.push(k * hz)
      all.level.push(Math.log(Math.hypot(sumRe, sumIm) + 1e-9))
    }
  }
  all.first.push(all.hz.length)
  return all
}

/** Takes the mean of every frame away: how loud a vowel is says nothing of its formants. */
function levelled(values: number[], first: readonly number[]): number[] {
  for (let f = 0; f + 1 < first.length; f++) {
    const [a, b] = [first[f]!, first[f + 1]!]
    let mean = 0
    for (let i = a; i < b; i++) mean += values[i]! / (b - a)
    for (let i = a; i < b; i++) values[i]! -= mean
  }
  return values
}

/**
 * Formants of a stretch of a vowel, Hz: those of the resonators whose response at all harmonics of all frames is nearest
 * to what sounds, in log levels. It tells what peaks of a spectrum cannot where harmonics lie far apart.
 *
 * Source: C. G. Bell, H. Fujisaki, J. M. Heinz, K. N. Stevens & A. S. House, "Reduction of speech spectra by
 * analysis-by-synthesis techniques", JASA 33(12), 1961.
 *
 * @param pitchAt known pitch in Hz at a second of x
 * @param near formants to begin with, Hz; @param widths their bandwidths
 * @param tilt of the voice's source, as a power of frequency
 */
export function resonancesOf(
  x: Float32Array,
  rate: number,
  [from, to]: readonly [number, number],
  pitchAt: (t: number) => number,
  near: readonly number[],
  widths: readonly number[],
  tilt: number,
): number[] {
  const { hz, level, first } = harmonicsOf(x, rate, from, to, pitchAt)
  const n = near.length
  // Logs of how far formants and widths are from where they begin.
  const formants = (p: readonly number[]): number[] => near.map((f, i) => f * Math.exp(p[i]!))
  const model = (p: readonly number[]): ((i: number) => number) => {
    const [f, w] = [formants(p), widths.map((v, i) => v * Math.exp(p[n + i]!))]
    const values = levelled(resonances(hz, f, w), first)
    return (i) => (values[i] ?? 0) + (source[i] ?? 0)
  }
  const levels = levelled(level, first)
  const source = levelled(
    hz.map((v) => tilt * Math.log(v)),
    first,
  )
  /** @param nearest how much it counts that formants are others */
  const fit = (nearest: number): { readonly found: number[]; readonly off: number } => {
    const all = [...levels, ...near.map(() => 0)]
    const found = levenbergMarquardt(
      { x: all.map((_, i) => i), y: all },
      (p) => {
        const at = model(p)
        return (i) => (i < hz.length ? at(i) : nearest * p[i - hz.length]!)
      },
      {
        initialValues: new Array<number>(2 * n).fill(0),
        gradientDifference: 1e-4,
        centralDifference: true,
        improvementThreshold: 1e-7,
        errorTolerance: 1e-9,
        maxIterations: 60,
      },
    ).parameterValues
    const at = model(found)
    const off = Math.sqrt(levels.reduce((sum, v, i) => sum + (v - at(i)) ** 2, 0) / levels.length)
    return { found, off }
  }
  const [free, held] = [fit(0), fit(NEAREST)]
  return formants(held.off < free.off + HARDLY ? held.found : free.found)
}
