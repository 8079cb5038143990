// Consonants, plucks and other sharp beginnings inside a span, which the analysis has no need to list as notes.
import { workspace, type Workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import type { Source } from './types'

/** Energy is compared in steps of this, seconds. */
const STEP = 0.002
/** With the loudest step of the time before, which is longer than a period, and the mean of the time after, steps. */
const BEFORE = 13
const AFTER = 6
/** How much louder: the step itself, and the mean; 9 and 7 dB. */
const RISE = 8
const STAYS = 5
/** Steps read at a time. */
const AT_ONCE = 256
/** Rises follow each other by at least this, seconds. */
const APART = 0.03
/** Quieter than this is silence: mean square of the second difference. */
const SILENCE = 1e-9

interface Room {
  readonly size: number
  readonly space: Workspace
  readonly block: Float32Array
  readonly sums: Float32Array
}

let kept: Room | undefined

function roomFor(size: number): Room {
  if (kept?.size === size) return kept
  const space = workspace(AT_ONCE * size + 2 + AT_ONCE + 32, 2)
  kept = { size, space, block: space.floats(AT_ONCE * size + 2), sums: space.floats(AT_ONCE) }
  return kept
}

/** Sum over channels of the squared second difference in every step from `from` on. */
function steps(source: Source, from: number, count: number, size: number): Float32Array {
  const out = new Float32Array(count)
  const { space, block, sums } = roomFor(size)
  for (let first = 0; first < count; first += AT_ONCE) {
    const some = Math.min(AT_ONCE, count - first)
    sums.fill(0)
    for (const c of source.channels) {
      block.fill(0, 0, some * size + 2)
      copyRange(c, from + first * size - 2, from + (first + some) * size, block)
      space.run.bends(block.byteOffset, size, sums.byteOffset, some)
    }
    out.set(sums.subarray(0, some), first)
  }
  return out
}

/**
 * Places inside (from, to) at which the upper part of the sound sets in: its energy rises by 9 dB within two
 * milliseconds, above all of the 26 milliseconds before, and stays.
 *
 * @returns recording samples, rising; the same for every range that holds them, but near its ends
 * Source: high-frequency content as a detection function: P. Masri, "Computer modelling of sound for transformation
 * and synthesis of musical signals", PhD thesis, University of Bristol 1996; here as a second difference.
 */
export function risesIn(source: Source, from: number, to: number): number[] {
  const apart = APART * source.sampleRate
  if (to - from < 2 * apart) return []
  const size = Math.max(2, Math.round(STEP * source.sampleRate))
  const first = Math.floor(from / size) - BEFORE
  const count = Math.ceil(to / size) - first
  const e = steps(source, first * size, count + AFTER, size)
  const floor = SILENCE * size
  const found: number[] = []
  for (let k = BEFORE; k < count; k++) {
    let top = floor
    let mean = 0
    for (let j = k - BEFORE; j < k; j++) {
      if (e[j]! > top) top = e[j]!
      mean += e[j]! / BEFORE
    }
    if (e[k]! < RISE * top && (e[k]! < STAYS * top || e[k + 1]! < RISE * top)) continue
    let after = 0
    for (let j = k; j < k + AFTER; j++) after += e[j]! / AFTER
    if (after < STAYS * Math.max(mean, floor)) continue
    const place = (first + k) * size
    if (place - from < apart || to - place < apart) continue
    if (found.length === 0 || place - found[found.length - 1]! >= apart) found.push(place)
  }
  return found
}
