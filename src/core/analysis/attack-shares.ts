// How a recording's energy is spread around its attacks, by windows and bands.
import { bankIn, bankRoom, logFilterBank } from '../dsp/filterbank'
import { nextPowerOfTwo, realFft } from '../dsp/fft'
import { workspace } from '../dsp/kernels/kernels'
import { meanMagnitudes } from '../dsp/magnitudes'
import { hann } from '../dsp/windows'
import type { Source } from './source'
import { textureMeter, type TextureMeter } from './texture'

/** What sounds so long after an attack is near it. */
export const ATTACK_SECONDS = 0.06
/** Below this frequency drums are short and strings, basses and voices are not, Hz. */
export const LOW = 800
/** Length of a window, by which regions are judged; the last one takes what is left. */
export const REGION_SECONDS = 3
const FRAME_SECONDS = 0.011
/** Bands further below the strongest than this do not count, power ratio; low ones that tell percussion are to be louder. */
const QUIET = 1e-4
const QUIET_LOW = 3e-3

/** Energy by window and band, and how much of it lies near attacks. */
export interface Energies {
  readonly bands: number
  /** How many of the bands are low, the first. */
  readonly low: number
  readonly total: Float64Array
  readonly near: Float64Array
  /** By window: frames, and how many of them lie near attacks. */
  readonly count: Float64Array
  readonly countNear: Float64Array
  readonly texture: TextureMeter
  /** Frames of the texture a window. */
  readonly frames: number
}

const hopOf = (rate: number): number => nextPowerOfTwo(FRAME_SECONDS * rate)
/** How many frames of 11 ms, about, a recording has. */
export const framesOf = (source: Source): number => Math.ceil(source.length / hopOf(source.rate))

/**
 * Measures how much of a recording's energy lies near attacks.
 *
 * @param source one channel; @param attacks seconds, in rising order; @param windows how many there are
 */
export function energies(source: Source, attacks: readonly number[], windows: number): Energies {
  const { rate, length } = source
  const size = hopOf(rate)
  const hop = size
  const bank = logFilterBank(size, rate, 3, 60, 10000)
  const fft = realFft(size)
  const space = workspace(4 * size + bank.count + bankRoom(bank))
  const applied = bankIn(space, bank)
  const window = space.floats(size)
  window.set(hann(size))
  const frame = space.floats(size)
  const spectrum = space.floats(size)
  const mags = space.floats(size / 2 + 1)
  const bands = space.floats(bank.count)
  const total = new Float64Array(windows * bank.count)
  const near = new Float64Array(windows * bank.count)
  const [count, countNear] = [new Float64Array(windows), new Float64Array(windows)]
  const texture = textureMeter(size, rate, framesOf(source))
  let k = -1
  for (let at = 0; at < length; at += hop) {
    source.copy(0, at - size / 2, frame)
    space.run.multiply(frame.byteOffset, window.byteOffset, frame.byteOffset, size)
    fft.forward(frame, spectrum)
    meanMagnitudes(space.run, [spectrum], mags)
    applied(mags, bands)
    texture.add(mags)
    const seconds = at / rate
    while (k + 1 < attacks.length && attacks[k + 1]! - hop / rate <= seconds) k++
    const inside = k >= 0 && seconds - attacks[k]! < ATTACK_SECONDS
    const w = Math.min(windows - 1, Math.floor(seconds / REGION_SECONDS))
    count[w]!++
    if (inside) countNear[w]!++
    const base = w * bank.count
    for (let b = 0; b < bank.count; b++) {
      const power = bands[b]! * bands[b]!
      total[base + b]! += power
      if (inside) near[base + b]! += power
    }
  }
  const low = bank.centres.filter((hz) => hz < LOW).length
  const frames = (REGION_SECONDS * rate) / hop
  return { bands: bank.count, low, total, near, count, countNear, texture, frames }
}

/** Share of the energy near attacks, 0-1: means over all bands that count, and over the low ones. */
export interface Shares {
  readonly all: number
  /** As `all` where nothing low sounds. */
  readonly low: number
  /** Power of what is low between attacks against what is near them. */
  readonly between: number
}

/** Shares over windows [from, to). */
export function attackShares(e: Energies, from: number, to: number): Shares {
  const total = new Float64Array(e.bands)
  const near = new Float64Array(e.bands)
  let [frames, framesNear] = [0, 0]
  for (let w = from; w < to; w++) {
    frames += e.count[w]!
    framesNear += e.countNear[w]!
    for (let b = 0; b < e.bands; b++) {
      total[b]! += e.total[w * e.bands + b]!
      near[b]! += e.near[w * e.bands + b]!
    }
  }
  const top = Math.max(...total)
  const mean = (bands: number, quiet: number): number | undefined => {
    let sum = 0
    let count = 0
    for (let b = 0; b < bands; b++)
      if (total[b]! > quiet * top + 1e-30) {
        sum += near[b]! / total[b]!
        count++
      }
    return count ? sum / count : undefined
  }
  const all = mean(e.bands, QUIET) ?? 0
  const low = mean(e.low, QUIET_LOW) ?? all
  const between = (1 - low) / Math.max(1, frames - framesNear) / (low / Math.max(1, framesNear) + 1e-9)
  return { all, low, between }
}
