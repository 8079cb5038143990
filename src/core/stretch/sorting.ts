// What of a spectrum rings on through an attack.
import type { Turns } from './layer'

/** What becomes of a part of the spectrum at an attack: it is raised; it rings on; nothing of the attack is heard in it. */
export const Part = { RAISED: 0, RINGS: 1, SAME: 2 } as const

/** How much of a part may have come with an attack, as a factor of its power, and how well it agrees with what was before. */
interface Measure {
  readonly raised: number
  readonly agrees: number
}
/** It rings on: what came is 6 dB louder at most. */
const RINGS: Measure = { raised: 4, agrees: 0.5 }
/** It is the same tone, and what came with the attack is hardly heard in it: 2 dB. */
const SAME: Measure = { raised: 1.6, agrees: 0.7 }
/** What became softer by so much has nothing to agree with. */
const GONE = 0.1
/** What has less than this share of the power before an attack jumps there, and nobody hears it; -23 dB. */
const HEARD = 0.005
/** Between the centroids of the halves of a Hann window, radians a bin: 1/2 - 2 / π² of its length from each other. */
const HALVES_APART = 2 * Math.PI * (0.5 - 2 / Math.PI ** 2)

/**
 * Where between bins a peak lies, -0.5 to 0.5.
 *
 * Source: parabola through the log spectrum; J. O. Smith & X. Serra, "PARSHL: An analysis/synthesis program for
 * non-harmonic sounds based on a sinusoidal representation", ICMC 1987.
 */
function betweenBins(power: Float32Array, peak: number): number {
  const [a, b, c] = [-1, 0, 1].map((d) => Math.log(power[peak + d]! + 1e-30)) as [number, number, number]
  const bend = a - 2 * b + c
  return bend < 0 ? Math.max(-0.5, Math.min(0.5, (a - c) / (2 * bend))) : 0
}

/**
 * What becomes of a part of the spectrum at an attack, by the halves of a frame before and after it.
 *
 * @param peak, start, end bins; @param beside where the peak lies beside its bin
 * @returns that, and its power before
 */
function sortPart(
  before: readonly Float32Array[],
  after: readonly Float32Array[],
  peak: number,
  start: number,
  end: number,
  beside: number,
): readonly [part: number, power: number] {
  let [x, y, own, other, re, im] = [0, 0, 0, 0, 0, 0]
  before.forEach((b, c) => {
    const a = after[c]!
    for (let i = 2 * start; i < 2 * end; i++) {
      x += b[i]! * b[i]!
      y += a[i]! * a[i]!
    }
    // Over all bins halves have nothing in common, at the peak of one tone everything.
    const [br, bi, ar, ai] = [b[2 * peak]!, b[2 * peak + 1]!, a[2 * peak]!, a[2 * peak + 1]!]
    own += br * br + bi * bi
    other += ar * ar + ai * ai
    re += br * ar + bi * ai
    im += br * ai - bi * ar
  })
  // A tone beside the peak's bin turns from the middle of one half to that of the other.
  const turn = HALVES_APART * beside
  const agreed = (re * Math.cos(turn) + im * Math.sin(turn)) / Math.sqrt(own * other + 1e-30)
  if (y <= SAME.raised * x && agreed > SAME.agrees) return [Part.SAME, x]
  return [y <= RINGS.raised * x && (y < GONE * x || agreed > RINGS.agrees) ? Part.RINGS : Part.RAISED, x]
}

/**
 * What becomes of every part of the spectrum at an attack.
 *
 * @param before, after spectra of all channels, of the halves of one frame in its middle
 * @param turns the parts, as they are found before it; @param power of all channels together, by bin, before it
 * @returns one of `Part` for each
 */
export function sortParts(
  before: readonly Float32Array[],
  after: readonly Float32Array[],
  { count, peaks, ends }: Turns,
  power: Float32Array,
): Uint8Array {
  const parts = new Uint8Array(count)
  const powers = [0, 0, 0]
  for (let p = 0, start = 1; p < count; p++) {
    const [part, own] = sortPart(before, after, peaks[p]!, start, ends[p]!, betweenBins(power, peaks[p]!))
    parts[p] = part
    powers[part]! += own
    start = ends[p]!
  }
  const heard = HEARD * (powers[0]! + powers[1]! + powers[2]!)
  return parts.map((part) => (powers[part]! < heard ? Part.RAISED : part))
}
