// What frames of full length tell of low tones in those of a layer, which may be shorter: too short against their periods.
import { LOW, Part } from './sorting'

/** Parts of the spectrum around a place of the recording, whatever the map does there. */
export interface Tones {
  /** Length of the frame, samples. */
  readonly size: number
  /** Bins after the parts. */
  readonly ends: Float32Array
  /** What an attack at the place makes of each, one of `Part`. */
  readonly parts: Uint8Array
  /** Frequency of each, Hz; 0 where it is no tone's. */
  readonly hz: Float32Array
}

/** Index of the part that a low bin of a frame that is no longer lies in; undefined for all others. */
function partOf(tones: Tones, bin: number, size: number): number | undefined {
  if (tones.size < size || bin >= LOW) return undefined
  const p = tones.ends.findIndex((end) => end > (bin * tones.size) / size)
  return p < 0 ? undefined : p
}

/**
 * What becomes of a part of a frame at an attack.
 *
 * @param bin of the part's peak; @param size of its frame, samples; @param part what becomes of it by that frame itself
 */
export function toldPart(tones: Tones, bin: number, size: number, part: number): number {
  const p = partOf(tones, bin, size)
  return p === undefined ? part : tones.parts[p]!
}

/**
 * How far beside its peak's bin a tone of a frame lies, bins.
 *
 * @param bin of the peak; @param size of the frame, samples; @param rate samples per second
 * @returns undefined where no tone that rings on is known nearby
 */
export function toldBeside(tones: Tones, bin: number, size: number, rate: number): number | undefined {
  const p = partOf(tones, bin, size)
  if (p === undefined || tones.parts[p] !== Part.SAME) return undefined
  const beside = (tones.hz[p]! * size) / rate - bin
  return Math.abs(beside) < 1 ? beside : undefined
}
