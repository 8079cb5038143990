// Onset strength over time in one pass of spectra: band flux with vibrato suppression, complex-domain novelty, level.
import { applyBank, logFilterBank } from '../dsp/filterbank'
import { meanMagnitudes } from '../dsp/stft'
import { nextPowerOfTwo, realFft } from '../dsp/fft'
import { logOnePlus } from '../dsp/log'
import { hann } from '../dsp/windows'
import { joined, type FrameRange, type Progress } from './progress'
import { channelSource, loudestChannel } from './source'

/** Upper edges of the four regions whose flux is kept apart, Hz; the last is open. */
export const REGION_EDGES = [160, 600, 2800, Infinity] as const

/** Novelty curves at evenly spaced frames. */
export interface OnsetStrength {
  /** Samples between frames. */
  readonly hop: number
  /** Sample that the first frame is centred on; before the recording, so that a note at its start has a before. */
  readonly start: number
  /** Sample that the first frame's flux belongs to. */
  readonly offset: number
  /** Spectral flux, one non-negative value a frame: natural-log units, mean over bands. */
  readonly values: Float32Array
  /** The same flux summed over the bands of each region. */
  readonly regions: readonly Float32Array[]
  /** Complex-domain novelty below 2.8 kHz, as a share of the frame's magnitude, 0-1 (about). */
  readonly complex: Float32Array
  /** Level of each frame, natural log of power, full-scale sine about 0. */
  readonly level: Float32Array
}

const WINDOW_SECONDS = 0.046
const HOP_SECONDS = 0.005
/** How far back a frame is compared, in frames: a quarter of the window, as far as neighbouring frames differ. */
const LAG = 2
const COMPLEX_TOP = 2800
/** Frames before the recording. */
const LEAD = 8

/** Widens every peak of a log spectrum by one band, so that a partial that wobbles by one band is no novelty. */
function maximumFilter(x: Float32Array, out: Float32Array): void {
  const last = x.length - 1
  for (let i = 0; i <= last; i++) {
    const a = x[i > 0 ? i - 1 : 0]!
    const b = x[i < last ? i + 1 : last]!
    const m = a > b ? a : b
    out[i] = m > x[i]! ? m : x[i]!
  }
}

/**
 * How far a spectrum is from what steady partials would have made of the two before it.
 *
 * @returns summed distance over summed magnitude
 * Source: J. P. Bello, C. Duxbury, M. Davies & M. Sandler, "On the use of phase and energy for musical onset
 * detection in the complex domain", IEEE SPL 11(6), 2004; rectified as in S. Dixon, DAFx 2006.
 */
function complexNovelty(now: Float32Array, one: Float32Array, two: Float32Array, bins: number): number {
  let distance = 0
  let total = 1e-9
  for (let k = 1; k < bins; k++) {
    const xr = now[2 * k]!
    const xi = now[2 * k + 1]!
    const ar = one[2 * k]!
    const ai = one[2 * k + 1]!
    const power = xr * xr + xi * xi
    const before = ar * ar + ai * ai
    const magnitude = Math.sqrt(power)
    total += magnitude
    if (power <= before) continue
    // Predicted: a² conj(b) / (|a| |b|), the phase advanced as it did last time.
    const br = two[2 * k]!
    const bi = two[2 * k + 1]!
    const sr = ar * ar - ai * ai
    const si = 2 * ar * ai
    const scale = 1 / (Math.sqrt(before * (br * br + bi * bi)) + 1e-12)
    const dr = xr - (sr * br + si * bi) * scale
    const di = xi - (si * br - sr * bi) * scale
    distance += Math.sqrt(dr * dr + di * di)
  }
  return distance / total
}

/** Number of frames of a recording. */
export function onsetFrames(channels: readonly Float32Array[], sampleRate: number): number {
  const { length, rate } = channelSource(channels, sampleRate, true)
  return Math.ceil(length / Math.max(1, Math.round(HOP_SECONDS * rate))) + 1 + LEAD
}

/** Curves of neighbouring ranges as one. */
export const joinOnsets = (parts: readonly OnsetStrength[]): OnsetStrength => ({
  ...parts[0]!,
  values: joined(parts.map((p) => p.values)),
  regions: REGION_EDGES.map((_, r) => joined(parts.map((p) => p.regions[r]!))),
  complex: joined(parts.map((p) => p.complex)),
  level: joined(parts.map((p) => p.level)),
})

/** Root mean square of the loud parts: what 95 % of the recording's tenths of a second stay below. */
function loudness(channels: readonly Float32Array[], sampleRate: number): number {
  const block = Math.max(1, Math.round(0.1 * sampleRate))
  const length = channels[0]?.length ?? 0
  const powers = new Float64Array(Math.ceil(length / block))
  for (const c of channels)
    for (let b = 0; b < powers.length; b++) {
      const end = Math.min(length, (b + 1) * block)
      let sum = 0
      for (let i = b * block; i < end; i++) sum += c[i]! * c[i]!
      powers[b]! += sum / (end - b * block) / channels.length
    }
  powers.sort()
  return Math.sqrt(powers[Math.floor(0.95 * powers.length)] ?? 0)
}

/**
 * Onset strength of a recording, channels summed by power (so that no polarity cancels).
 *
 * @param channels planar audio; @param sampleRate Hz
 * @param range frames to make, where others make the rest; all without it
 * @returns curves with a value every 5 ms, of the frames in the range
 * Source: S. Böck & G. Widmer, "Maximum filter vibrato suppression for onset detection", DAFx 2013.
 */
export function onsetStrength(
  channels: readonly Float32Array[],
  sampleRate: number,
  progress?: Progress,
  range?: FrameRange,
): OnsetStrength {
  const source = channelSource(channels, sampleRate, range !== undefined)
  const { length, rate } = source
  const size = nextPowerOfTwo(WINDOW_SECONDS * rate * 0.75)
  const hop = Math.max(1, Math.round(HOP_SECONDS * rate))
  const bank = logFilterBank(size, rate)
  const region = Uint8Array.from(bank.centres, (hz) => REGION_EDGES.findIndex((edge) => hz < edge))
  const fft = realFft(size)
  const window = hann(size)
  const windowed = new Float32Array(size)
  const half = size / 2
  const mags = new Float32Array(half + 1)
  const current = new Float32Array(bank.count)
  // Log spectra and their widened versions of the last LAG + 1 frames, used in turn.
  const ring = Array.from({ length: LAG + 1 }, () => new Float32Array(bank.count))
  const spectra = Array.from({ length: 2 * LAG + 1 }, () => new Float32Array(size))
  // One spectrum a channel; that of the loudest is kept for the frames that follow.
  const together = channels.map(() => new Float32Array(size))
  const { from, to } = range ?? { from: 0, to: onsetFrames(channels, sampleRate) }
  const curve = (): Float32Array => new Float32Array(to - from)
  const [values, complex, level] = [curve(), curve(), curve()]
  const regions = REGION_EDGES.map(curve)
  const complexBins = Math.min(half, Math.ceil((COMPLEX_TOP * size) / rate))
  progress?.(0)
  // A windowed sine as loud as the recording reaches a band magnitude near 1; the compression works around -60 dB.
  const gain = 250 / (size * 0.25 * (loudness(channels, sampleRate) + 1e-6))
  // Passes over the whole recording take a while; a cancel is heard between them.
  progress?.(0)
  const loudest = loudestChannel(channels)
  progress?.(0)
  const sums = new Float64Array(4)
  // The frames just before are made too, for what is compared with them.
  for (let f = Math.max(0, from - 2 * LAG); f < to; f++) {
    const at = f - from
    if (progress && f % 256 === 0) progress((f - from) / (to - from))
    const spectrum = spectra[f % spectra.length]!
    together[loudest] = spectrum
    for (let c = 0; c < channels.length; c++) {
      source.frame(c, (f - LEAD) * hop - half, window, windowed)
      fft.forward(windowed, together[c]!)
    }
    const power = meanMagnitudes(together, mags)
    if (at >= 0) level[at] = Math.log(power / (size * size * 0.09375) + 1e-12)
    applyBank(bank, mags, current)
    logOnePlus(current, gain)
    // A frame that hangs over the end sees the recording cut off, which is no onset.
    if (at >= 0 && f >= LAG && ((f - LEAD) * hop + half <= length || length < 2 * size)) {
      const reference = ring[(f - LAG) % (LAG + 1)]!
      sums.fill(0)
      for (let b = 0; b < bank.count; b++) {
        const d = current[b]! - reference[b]!
        if (d > 0) sums[region[b]!]! += d
      }
      values[at] = (sums[0]! + sums[1]! + sums[2]! + sums[3]!) / bank.count
      for (let r = 0; r < regions.length; r++) regions[r]![at] = sums[r]!
      if (f >= 2 * LAG)
        complex[at] = complexNovelty(
          spectrum,
          spectra[(f - LAG) % spectra.length]!,
          spectra[(f - 2 * LAG) % spectra.length]!,
          complexBins,
        )
    }
    maximumFilter(current, ring[f % (LAG + 1)]!)
  }
  const step = hop * source.factor
  const start = -LEAD * step
  return { hop: step, start, offset: start - Math.round((LAG * step) / 2), values, regions, complex, level }
}
