// What of a spectrum rings on through an attack.
import type { Turns } from './layer-room'

/** What becomes of a part of the spectrum at an attack: it is raised; it rings on; nothing of the attack is heard in it. */
export const Part = { RAISED: 0, RINGS: 1, SAME: 2 } as const

/** How much of a part may have come with an attack, as a factor of its power, and how well it agrees with what was before. */
interface Measure {
  readonly raised: number
  readonly agrees: number
}
/** It rings on: what came is 6 dB louder at most. */
const RINGS: Measure = { raised: 4, agrees: 0.5 }
/** It is the same tone, and what came with the attack is hardly heard in it: 2 dB; a string struck again seldom agrees so well. */
const SAME: Measure = { raised: 1.6, agrees: 0.9 }
/** Bins below which halves of a frame are short against a tone's period. */
export const LOW = 6
const AGREES_LOW = 0.7
/** Between the centroids of the halves of a Hann window, radians a bin: 1/2 - 2 / π² of its length from each other. */
const HALVES_APART = 2 * Math.PI * (0.5 - 2 / Math.PI ** 2)
/** A tone is steady when it lies by less than this beside where it was before, bins. */
const STEADY = 0.25
/** What became softer by so much has nothing to agree with. */
const GONE = 0.1
/** What has less than this share of the power before an attack jumps there, and nobody hears it; -23 dB. */
const HEARD = 0.005

/**
 * Where between bins a peak lies, -0.5 to 0.5.
 *
 * Source: parabola through the log spectrum; J. O. Smith & X. Serra, "PARSHL: An analysis/synthesis program for
 * non-harmonic sounds based on a sinusoidal representation", ICMC 1987.
 */
export const betweenBins = (power: Float32Array, peak: number): number =>
  Math.max(-0.5, Math.min(0.5, vertex(power[peak - 1]!, power[peak]!, power[peak + 1]!)))

/** Where the parabola through the logarithms of three powers has its vertex, steps from the middle one. */
function vertex(before: number, middle: number, after: number): number {
  const a = Math.log(before + 1e-30)
  const b = Math.log(middle + 1e-30)
  const c = Math.log(after + 1e-30)
  const bend = a - 2 * b + c
  return bend < 0 ? Math.max(-1, Math.min(1, (a - c) / (2 * bend))) : 0
}

/** What two halves of a frame have at parts of the spectrum: spectra of all channels, and six numbers a part, as the compiled `compareParts` does. */
export interface Halves {
  readonly first: readonly Float32Array[]
  readonly second: readonly Float32Array[]
  readonly compared: Float32Array
}

/** Power of a bin, of all channels. */
function powerAt(spectra: readonly Float32Array[], k: number): number {
  let sum = 1e-30
  for (const x of spectra) sum += x[2 * k]! * x[2 * k]! + x[2 * k + 1]! * x[2 * k + 1]!
  return sum
}

/** Where a tone lies beside a bin by the peak nearby, bins. */
function besideBin(spectra: readonly Float32Array[], bin: number): number {
  let most = powerAt(spectra, bin)
  let peak = bin
  for (const k of [bin - 1, bin + 1]) {
    const power = powerAt(spectra, k)
    if (power > most) [most, peak] = [power, k]
  }
  return peak - bin + vertex(powerAt(spectra, peak - 1), most, powerAt(spectra, peak + 1))
}

/**
 * How well two halves agree at a part's peak, -1 to 1.
 *
 * @param at where the part's six numbers begin; @param turn by so much its tone turns from the middle of one half to that of the other, radians
 */
function agreement(compared: Float32Array, at: number, turn: number): number {
  const common = compared[at + 4]! * Math.cos(turn) + compared[at + 5]! * Math.sin(turn)
  return common / Math.sqrt(compared[at + 2]! * compared[at + 3]! + 1e-30)
}

/**
 * What becomes of every part of the spectrum at an attack.
 *
 * @param compared what is before it and all of what is after it, part by part, as the compiled `compareParts` does
 * @param halves the same of halves that fade at both ends, which tell a tone from those beside it
 * @param turns the parts, as they are found before the attack; @param power of all channels together, by bin, before it
 * @returns one of `Part` for each
 */
export function sortParts(
  compared: Float32Array,
  halves: Halves,
  { count, peaks }: Turns,
  power: Float32Array,
): Uint8Array {
  const parts = new Uint8Array(count)
  const powers = [0, 0, 0]
  const { first, second, compared: faded } = halves
  for (let p = 0, at = 0; p < count; p++, at += 6) {
    const before = compared[at]!
    const after = compared[at + 1]!
    let part: number = Part.RAISED
    if (after <= RINGS.raised * before) {
      const agreed = agreement(compared, at, HALVES_APART * betweenBins(power, peaks[p]!))
      const least = peaks[p]! < LOW ? AGREES_LOW : SAME.agrees
      if (after <= SAME.raised * before && agreed > least) part = Part.SAME
      else {
        // Halves that fade tell a tone better from those beside it, but not when its pitch changes.
        const [one, two] = [besideBin(first, peaks[p]!), besideBin(second, peaks[p]!)]
        const agreedFaded = agreement(faded, at, (Math.PI * (one + two)) / 2)
        const steady = Math.abs(one - two) < STEADY && faded[at + 3]! <= SAME.raised * faded[at + 2]!
        if (steady && agreedFaded > SAME.agrees) part = Part.SAME
        else if (after < GONE * before || Math.max(agreed, agreedFaded) > RINGS.agrees) part = Part.RINGS
      }
    }
    parts[p] = part
    powers[part]! += before
  }
  const heard = HEARD * (powers[0]! + powers[1]! + powers[2]!)
  for (let p = 0; p < count; p++) if (powers[parts[p]!]! < heard) parts[p] = Part.RAISED
  return parts
}

/**
 * Where beside its peak's bin the tone of a part lies, bins, by how it turns from one half to the other, which fade at both ends.
 *
 * Source: frequency by the advance of phase, J. L. Flanagan & R. M. Golden, "Phase vocoder", Bell System Technical Journal 45, 1966.
 *
 * @param compared the halves' spectra, part by part; @param part its number
 */
export const besidePeak = (compared: Float32Array, part: number): number =>
  Math.atan2(compared[6 * part + 5]!, compared[6 * part + 4]!) / Math.PI
