// What a recording is made of, as far as the choice of a stretch method needs it.
import { toMono } from '../audio/buffer'
import { applyBank, logFilterBank } from '../dsp/filterbank'
import { frameReader, magnitudes } from '../dsp/stft'
import { nextPowerOfTwo } from '../dsp/fft'
import type { Transient } from './transients'

/** A suggested method with its reasons in words. */
export interface Material {
  readonly suggested: 'hits' | 'chords'
  readonly reasons: readonly string[]
  /** Share of the energy that lies within 60 ms after an attack, mean over third-octave bands, 0-1. */
  readonly attackShare: number
}

const ATTACK_SECONDS = 0.06
/** Above this share a recording is percussive. */
const PERCUSSIVE = 0.72
const WINDOW_SECONDS = 0.017
/** Bands further below the strongest than this do not count, power ratio. */
const QUIET = 1e-4

const percent = (x: number): string => `${Math.round(100 * x)} %`

/** Mean over bands of the share of each band's energy that lies near attacks. */
function shareInAttacks(x: Float32Array, attacks: readonly number[], sampleRate: number): number {
  const size = nextPowerOfTwo(WINDOW_SECONDS * sampleRate)
  const hop = size / 4
  const bank = logFilterBank(size, sampleRate, 3, 60, 12000)
  const reader = frameReader(size)
  const spectrum = new Float32Array(size)
  const mags = new Float32Array(size / 2 + 1)
  const bands = new Float32Array(bank.length)
  const total = new Float64Array(bank.length)
  const near = new Float64Array(bank.length)
  let k = -1
  for (let at = 0; at < x.length; at += hop) {
    reader.read(x, at - size / 2, spectrum)
    applyBank(bank, magnitudes(spectrum, mags), bands)
    while (k + 1 < attacks.length && attacks[k + 1]! - hop <= at) k++
    const inside = k >= 0 && at - attacks[k]! < ATTACK_SECONDS * sampleRate
    bands.forEach((b, i) => {
      total[i]! += b * b
      if (inside) near[i]! += b * b
    })
  }
  const floor = QUIET * Math.max(...total)
  const shares = [...total].flatMap((t, i) => (t > floor ? [near[i]! / t] : []))
  return shares.length ? shares.reduce((a, b) => a + b, 0) / shares.length : 0
}

/**
 * Suggests a stretch method from how the energy is spread around the attacks.
 *
 * @param channels planar audio; @param transients in rising order; @param sampleRate Hz
 * Source: common practice: of percussion only a few low modes outlast the first tens of milliseconds, of strings
 * every partial does; so the bands count alike, whatever their energy.
 */
export function suggestMethod(
  channels: readonly Float32Array[],
  transients: readonly Transient[],
  sampleRate: number,
): Material {
  const x = toMono(channels)
  const attackShare = shareInAttacks(
    x,
    transients.map((t) => t.at),
    sampleRate,
  )
  const hits = attackShare > PERCUSSIVE && transients.length > 1
  const rate = transients.length / Math.max(1e-9, x.length / sampleRate)
  const reasons = [
    `${percent(attackShare)} of the energy is in attacks, ${rate.toFixed(1)} of them a second.`,
    hits
      ? 'The sounds are struck and short, so attacks matter most.'
      : 'The sounds ring on, so their tone matters most.',
  ]
  return { suggested: hits ? 'hits' : 'chords', reasons, attackShare }
}
