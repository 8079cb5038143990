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
/** It is the same tone, and what came with the attack is hardly heard in it: 2 dB; a string struck again seldom agrees so well. */
const SAME: Measure = { raised: 1.6, agrees: 0.9 }
/** Bins below which halves tell less well how a tone turns, as they are short against its period. */
export const LOW = 6
const AGREES_LOW = 0.7
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
export function betweenBins(power: Float32Array, peak: number): number {
  const a = Math.log(power[peak - 1]! + 1e-30)
  const b = Math.log(power[peak]! + 1e-30)
  const c = Math.log(power[peak + 1]! + 1e-30)
  const bend = a - 2 * b + c
  return bend < 0 ? Math.max(-0.5, Math.min(0.5, (a - c) / (2 * bend))) : 0
}

/**
 * What becomes of every part of the spectrum at an attack, by the halves of a frame before and after it.
 *
 * @param compared the halves' spectra, part by part, as the compiled `compareParts` does
 * @param turns the parts, as they are found before the attack; @param power of all channels together, by bin, before it
 * @returns one of `Part` for each
 */
export function sortParts(compared: Float32Array, { count, peaks }: Turns, power: Float32Array): Uint8Array {
  const parts = new Uint8Array(count)
  const powers = [0, 0, 0]
  for (let p = 0, at = 0; p < count; p++, at += 6) {
    const before = compared[at]!
    const after = compared[at + 1]!
    // A tone beside the peak's bin turns from the middle of one half to that of the other.
    const turn = HALVES_APART * betweenBins(power, peaks[p]!)
    // Over all bins halves have nothing in common, at the peak of one tone everything.
    const common = compared[at + 4]! * Math.cos(turn) + compared[at + 5]! * Math.sin(turn)
    const agreed = common / Math.sqrt(compared[at + 2]! * compared[at + 3]! + 1e-30)
    const part =
      after <= SAME.raised * before && agreed > (peaks[p]! < LOW ? AGREES_LOW : SAME.agrees)
        ? Part.SAME
        : after <= RINGS.raised * before && (after < GONE * before || agreed > RINGS.agrees)
          ? Part.RINGS
          : Part.RAISED
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
