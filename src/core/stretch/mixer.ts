// Where bands of a signal are added up.
import { workspace, type Kernels } from '../dsp/kernels/kernels'
import { poolOf } from './pool'

export interface Mixer {
  /** What was added so far, planar. */
  readonly sums: readonly Float32Array[]
  /** Adds `n` samples to a channel. @param at where the first goes */
  add(channel: number, at: number, x: Float32Array, n: number): void
  /** Drops the first samples; what was behind them moves there, and silence follows. */
  drop(n: number): void
  /** The mixer will not be used any more. */
  close(): void
}

interface Room {
  readonly run: Kernels
  readonly sums: readonly Float32Array[]
  readonly added: Float32Array
}

const rooms = poolOf<Room>()

function makeRoom(length: number, count: number): Room {
  const { run, floats } = workspace((count + 1) * length, count + 1)
  return { run, sums: Array.from({ length: count }, () => floats(length)), added: floats(length) }
}

/** Opens a mixer, silent. @param length samples; @param count channels */
export function openMixer(length: number, count: number): Mixer {
  const key = `${length} ${count}`
  const room = rooms.take(key, () => makeRoom(length, count))
  const { run, sums, added } = room
  for (const s of sums) s.fill(0)
  return {
    sums,
    add(channel, at, x, n) {
      added.set(n === x.length ? x : x.subarray(0, n))
      run.accumulate(added.byteOffset, 1, sums[channel]!.byteOffset + 4 * at, n)
    },
    drop(n) {
      for (const s of sums) {
        s.copyWithin(0, n)
        s.fill(0, s.length - n)
      }
    },
    close: () => rooms.giveBack(key, room),
  }
}
