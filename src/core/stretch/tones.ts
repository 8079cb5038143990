// What frames of full length tell of low tones in shorter ones, which are too short against their periods.
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

/**
 * What becomes of the parts of a shorter frame at an attack, of low ones as it is told.
 *
 * @param peaks bins of the parts' peaks, rising; @param size of the frame, samples
 * @param own what becomes of them by the frame itself
 */
export function toldParts(tones: Tones, peaks: Int32Array, size: number, own: Uint8Array): Uint8Array {
  let k = 0
  return own.map((part, p) => {
    if (peaks[p]! >= LOW) return part
    const bin = (peaks[p]! * tones.size) / size
    while (k < tones.ends.length && tones.ends[k]! <= bin) k++
    return tones.parts[k] ?? part
  })
}

/**
 * How far beside its peak's bin a low tone of a shorter frame lies, bins.
 *
 * @param bin of the peak; @param size of the frame, samples; @param rate samples per second
 * @returns undefined where no tone that rings on is known nearby
 */
export function toldBeside(tones: Tones, bin: number, size: number, rate: number): number | undefined {
  if (bin >= LOW) return undefined
  const p = tones.ends.findIndex((end) => end > (bin * tones.size) / size)
  if (tones.parts[p] !== Part.SAME) return undefined
  const beside = (tones.hz[p]! * size) / rate - bin
  return Math.abs(beside) < 1 ? beside : undefined
}
