// Energy, peak, mean and gain of signals of any length, block by block.
import { workspace } from './kernels/kernels'

const BLOCK = 16384

function makeRoom() {
  const { run, floats } = workspace(2 * BLOCK)
  return { run, x: floats(BLOCK), sum: floats(BLOCK) }
}
let room: ReturnType<typeof makeRoom> | undefined

/** Sum of squares of x[from, to). */
export function energy(x: Float32Array, from = 0, to = x.length): number {
  return meanEnergy([x], from, to)
}

/** Sum of squares of the mean of signals of one length, over [from, to). */
export function meanEnergy(channels: readonly Float32Array[], from = 0, to = channels[0]!.length): number {
  room ??= makeRoom()
  const { run, x, sum } = room
  const share = 1 / channels.length
  let total = 0
  for (let at = from; at < to; at += BLOCK) {
    const n = Math.min(BLOCK, to - at)
    const block = channels.length > 1 ? sum.fill(0) : x
    for (const c of channels) {
      x.set(c.subarray(at, at + n))
      if (block === sum) run.accumulate(x.byteOffset, share, sum.byteOffset, n)
    }
    total += run.energy(block.byteOffset, n)
  }
  return total
}

/** Mean of signals of one length at [from, to), which must lie inside them, into the first samples of `out`. */
export function meanInto(
  channels: readonly Float32Array[],
  from: number,
  to: number,
  out: Float32Array,
): void {
  room ??= makeRoom()
  const { run, x, sum } = room
  for (let at = from; at < to; at += BLOCK) {
    const n = Math.min(BLOCK, to - at)
    sum.fill(0)
    for (const c of channels) {
      x.set(c.subarray(at, at + n))
      run.accumulate(x.byteOffset, 1 / channels.length, sum.byteOffset, n)
    }
    out.set(sum.subarray(0, n), at - from)
  }
}

/** Greatest magnitude of x[from, to), which must lie inside it; 0 when that is empty. */
export function peak(signal: Float32Array, from = 0, to = signal.length): number {
  room ??= makeRoom()
  const { run, x } = room
  let top = 0
  for (let at = from; at < to; at += BLOCK) {
    const n = Math.min(BLOCK, to - at)
    x.set(signal.subarray(at, at + n))
    // The loop takes four at a time.
    x.fill(0, n, Math.min(BLOCK, n + 3))
    top = Math.max(top, run.peak(x.byteOffset, n))
  }
  return top
}

/**
 * Multiplies x[from, to) in place by gains that lie on lines between `gains[k]` at samples from + k step, and stay as they are
 * behind the last.
 *
 * @param step a multiple of four, at most 16384
 */
export function scaleAlong(
  signal: Float32Array,
  from: number,
  to: number,
  gains: ArrayLike<number>,
  step: number,
): void {
  room ??= makeRoom()
  const { run, x, sum } = room
  const most = Math.floor(BLOCK / step)
  for (let at = from, k = 0; at < to; at += most * step, k += most) {
    const n = Math.min(most * step, to - at)
    const lines = Math.ceil(n / step)
    x.set(signal.subarray(at, at + n))
    for (let i = 0; i <= lines; i++) sum[i] = gains[Math.min(k + i, gains.length - 1)]!
    run.scaleAlong(x.byteOffset, sum.byteOffset, step, (n + 3) & ~3)
    signal.set(n === BLOCK ? x : x.subarray(0, n), at)
  }
}
