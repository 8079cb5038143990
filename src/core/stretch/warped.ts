// A recording with its spectral envelope warped along frequency, hop by hop.
import { latest } from '../latest'
import { pitchGuide } from './guide'
import { remembered } from './remembered'
import type { Source } from './types'
import { frameWarper, OVERLAP, type WarpedFrame, type WarpedHop } from './warped-frames'

const WINDOW_SECONDS = 0.046

/** The level is kept over this many frames on either side of each, and no more than so many times is made up for. */
const AROUND = 2
const MOST_LEVEL = 2

/** The envelope at f becomes what it is at f times this, by place of the recording. */
export type Warp = (place: number) => number

/** As many frames and hops are remembered as a second and a half has, about: parts of a recording that are shaped overlap. */
const REMEMBERED = 128
const framesOf = remembered(() => latest<number, WarpedFrame>(REMEMBERED))
const warpedOf = remembered(() => latest<number, WarpedHop>(REMEMBERED))
/** What a recording stands beside 0 by, channel by channel: no part of its sound, and in the way of its level. */
const offsets = remembered(({ channels }) => channels.map((x) => x.reduce((sum, v) => sum + v, 0) / x.length))

/** Reads a frame without its offset: silent outside the recording, and from an attack on what is before that once more, backwards. */
function readFrame(x: Float32Array, at: number, offset: number, attack: number, frame: Float32Array): void {
  const plain = Math.max(0, Math.min(frame.length, attack - at))
  const from = Math.max(0, Math.min(plain, -at))
  const to = Math.max(from, Math.min(plain, x.length - at))
  frame.fill(0)
  for (let i = from; i < to; i++) frame[i] = x[at + i]! - offset
  for (let i = plain; i < frame.length; i++) {
    const v = x[2 * attack - 1 - at - i]
    if (v !== undefined) frame[i] = v - offset
  }
}

/** Hops of a recording with its envelope warped. */
interface Hops {
  /** Samples. */
  readonly size: number
  /** Hop k begins at sample k times the size. */
  readonly of: (k: number) => WarpedHop
}

/** Frames lie at fixed places of the recording and all channels share their gains. @param attack from where on nothing is heard */
function hopsOf(source: Source, warp: Warp, attack: number): Hops {
  const { sampleRate, channels } = source
  const size = 2 ** Math.round(Math.log2(WINDOW_SECONDS * sampleRate))
  const half = size / 2
  const hop = size / OVERLAP
  const guide = pitchGuide(source)
  const warper = frameWarper(channels.length, size, sampleRate)
  const offset = offsets(source)
  // What reaches beyond the attack is of no use elsewhere.
  const known = { frames: framesOf(source), hops: warpedOf(source) }
  const own = { frames: latest<number, WarpedFrame>(OVERLAP), hops: latest<number, WarpedHop>(REMEMBERED) }
  const keptFor = (k: number): typeof known => (k * hop + size > attack ? own : known)

  const makeFrame = (at: number, factor: number): WarpedFrame => {
    channels.forEach((x, c) => readFrame(x, at, offset[c]!, attack, warper.frames[c]!))
    return warper.warp(guide(Math.min(at + half, attack - hop)), factor)
  }
  const factorOf = (k: number): number => warp(k * hop + half)
  /** The frame that begins with a hop. */
  const frameOf = (k: number): WarpedFrame => {
    const factor = factorOf(k)
    return keptFor(k).frames.of(
      k,
      () => makeFrame(k * hop, factor),
      (f) => f.factor === factor,
    )
  }
  const hopOf = (k: number): WarpedHop => {
    const first = k - OVERLAP + 1
    return keptFor(k).hops.of(
      k,
      () => warper.overlap(Array.from({ length: OVERLAP }, (_, f) => frameOf(first + f))),
      ({ factors }) => factors.every((factor, f) => factor === factorOf(first + f)),
    )
  }
  return { size: hop, of: hopOf }
}

/**
 * Gains by frame that give overlapped frames the level that they were to have: what steep gains make of the skirts of strong
 * partials does not survive the overlap, and would be missed.
 */
function gainsOf(hops: Hops): (k: number) => number {
  /** Power that overlapped frames have under the squared window of one. */
  const powerOf = (k: number): number => {
    let sum = 0
    for (let j = 0; j < OVERLAP; j++) sum += hops.of(k + j).parts[j]!
    return sum
  }
  const powers = latest<number, readonly [wanted: number, got: number]>(REMEMBERED)
  return (k) => {
    let [wanted, got] = [1e-20, 1e-20]
    for (let j = k - AROUND; j <= k + AROUND; j++) {
      const [a, b] = powers.of(j, () => [hops.of(j).power, powerOf(j)])
      wanted += a
      got += b
    }
    return Math.max(1 / MOST_LEVEL, Math.min(MOST_LEVEL, Math.sqrt(wanted / got)))
  }
}

/**
 * A stretch of recording with its spectral envelope warped along frequency, for transposing to undo.
 *
 * Every part of the result depends on the recording around it only.
 *
 * @param warp at a recording sample: the envelope at f becomes what it is at f * warp
 * @param attack from where on nothing of the recording is heard
 * @returns planar samples of [from, to)
 */
export function warped(
  source: Source,
  from: number,
  to: number,
  warp: Warp,
  attack = Infinity,
): Float32Array[] {
  const { channels } = source
  const hops = hopsOf(source, warp, attack)
  const { size } = hops
  const gainOf = gainsOf(hops)
  const offset = offsets(source)
  const out = channels.map(() => new Float32Array(to - from))
  // Gains go in straight lines from the middle of one frame to that of the next.
  const firstHop = Math.floor(from / size)
  let gain = gainOf(firstHop - OVERLAP / 2)
  for (let k = firstHop; k * size < to; k++) {
    const next = gainOf(k + 1 - OVERLAP / 2)
    const step = (next - gain) / size
    const [first, last] = [Math.max(0, from - k * size), Math.min(size, to - k * size)]
    hops.of(k).channels.forEach((x, c) => {
      const [o, at] = [out[c]!, k * size - from]
      for (let i = first; i < last; i++) o[at + i] = (gain + step * i) * x[i]!
    })
    gain = next
  }
  out.forEach((o, c) => {
    const [first, last] = [Math.max(0, -from), Math.min(to, channels[c]!.length) - from]
    if (offset[c] !== 0) for (let i = first; i < last; i++) o[i]! += offset[c]!
  })
  return out
}
