// Onset strength over time in one pass of spectra: band flux with vibrato suppression, complex-domain novelty, level.
import { bankIn, bankRoom, logFilterBank } from '../dsp/filterbank'
import { nextPowerOfTwo, realFft } from '../dsp/fft'
import { workspaceAgain } from '../dsp/kernels/kernels'
import { meanMagnitudes } from '../dsp/magnitudes'
import { hann } from '../dsp/windows'
import { brillianceMeter } from './brilliance'
import type { FrameRange, Progress } from './progress'
import { joined } from '../dsp/signal'
import { channelSource, type Source } from './source'
import { surveyOf, type Survey } from './survey'

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
  /** Level from 11 to 20 kHz in short windows, as `brillianceMeter` tells it. */
  readonly top: Float32Array
}

const WINDOW_SECONDS = 0.046
const HOP_SECONDS = 0.005
/** How far back a frame is compared, in frames: a quarter of the window, as far as neighbouring frames differ. */
const LAG = 2
const COMPLEX_TOP = 2800
/** Frames before the recording. */
const LEAD = 8

const roomFor = workspaceAgain()

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
  top: joined(parts.map((p) => p.top)),
})

/** Everything that frames are made with, and the curves that they are written to. */
function prepare(
  channels: readonly Float32Array[],
  sampleRate: number,
  source: Source,
  seen: Survey,
  { from, to }: FrameRange,
) {
  const { length, rate } = source
  const size = nextPowerOfTwo(WINDOW_SECONDS * rate * 0.75)
  const hop = Math.max(1, Math.round(HOP_SECONDS * rate))
  const bank = logFilterBank(size, rate)
  const region = Uint8Array.from(bank.centres, (hz) => REGION_EDGES.findIndex((edge) => hz < edge))
  const fft = realFft(size)
  const half = size / 2
  const spectraKept = 2 * LAG + 1
  const space = roomFor(
    (4 + spectraKept + channels.length) * size + (LAG + 3) * bank.count + bankRoom(bank),
    16 + spectraKept + channels.length,
  )
  const { run } = space
  const window = space.floats(size)
  window.set(hann(size))
  const windowed = space.floats(size)
  const mags = space.floats(half + 1)
  const applied = bankIn(space, bank)
  const current = space.floats(bank.count)
  // Log spectra and their widened versions of the last LAG + 1 frames, used in turn.
  const ring = Array.from({ length: LAG + 1 }, () => space.floats(bank.count))
  const spectra = Array.from({ length: spectraKept }, () => space.floats(size))
  // One spectrum a channel; that of the loudest is kept for the frames that follow.
  const together = channels.map(() => space.floats(size))
  // Bands of one region lie together.
  const regionStart = REGION_EDGES.map((_, r) => region.filter((v) => v < r).length)
  const curve = (): Float32Array => new Float32Array(to - from)
  const [values, complex, level, top] = [curve(), curve(), curve(), curve()]
  const brilliance = brillianceMeter(channels, sampleRate)
  const regions = REGION_EDGES.map(curve)
  const complexBins = Math.min(half, 4 * Math.round((COMPLEX_TOP * size) / rate / 4))
  // A windowed sine as loud as the recording reaches a band magnitude near 1; the compression works around -60 dB.
  const gain = 250 / (size * 0.25 * (seen.loudness + 1e-6))
  return {
    ...{ source, seen, run, fft, length, size, half, hop, from, gain, window, windowed, mags, bank, applied },
    ...{ current, ring, spectra, spectraKept, together, regionStart, complexBins, brilliance },
    ...{ values, complex, level, top, regions },
  }
}

/** One frame. A function of its own over plain values: compilers have done with it sooner than with a long loop. */
function makeFrame(room: ReturnType<typeof prepare>, f: number): void {
  const { source, seen, run, fft, length, size, half, hop, from, mags, bank, current } = room
  const { window, windowed, ring, spectra, spectraKept, together, regionStart, regions } = room
  const at = f - from
  const spectrum = spectra[f % spectraKept]!
  together[seen.loudest] = spectrum
  for (let c = 0; c < together.length; c++) {
    source.copy(c, (f - LEAD) * hop - half, windowed)
    run.multiply(windowed.byteOffset, window.byteOffset, windowed.byteOffset, size)
    fft.forward(windowed, together[c]!)
  }
  const power = meanMagnitudes(run, together, mags)
  if (at >= 0) {
    room.level[at] = Math.log(power / (size * size * 0.09375) + 1e-12)
    room.top[at] = room.brilliance((f - LEAD) * hop * source.factor)
  }
  room.applied(mags, current)
  run.logOnePlus(current.byteOffset, room.gain, bank.count)
  // A frame that hangs over the end sees the recording cut off, which is no onset.
  if (at >= 0 && f >= LAG && ((f - LEAD) * hop + half <= length || length < 2 * size)) {
    const reference = ring[(f - LAG) % (LAG + 1)]!
    let sum = 0
    for (let r = 0; r < regions.length; r++) {
      const first = regionStart[r]!
      const count = (regionStart[r + 1] ?? bank.count) - first
      const rise = run.rise(current.byteOffset + 4 * first, reference.byteOffset + 4 * first, count)
      regions[r]![at] = rise
      sum += rise
    }
    room.values[at] = sum / bank.count
    if (f >= 2 * LAG)
      room.complex[at] = run.complexNovelty(
        spectrum.byteOffset,
        spectra[(f - LAG) % spectraKept]!.byteOffset,
        spectra[(f - 2 * LAG) % spectraKept]!.byteOffset,
        room.complexBins,
      )
  }
  run.widen(current.byteOffset, ring[f % (LAG + 1)]!.byteOffset, bank.count)
}

/**
 * Onset strength of a recording, channels summed by power (so that no polarity cancels).
 *
 * @param channels planar audio; @param sampleRate Hz
 * @param range frames to make, where others make the rest; all without it
 * @param source all channels at the analysis rate, where somebody has them
 * @returns curves with a value every 5 ms, of the frames in the range
 * Sources: S. Böck & G. Widmer, "Maximum filter vibrato suppression for onset detection", DAFx 2013; J. P. Bello,
 * C. Duxbury, M. Davies & M. Sandler, "On the use of phase and energy for musical onset detection in the complex
 * domain", IEEE SPL 11(6), 2004, rectified as in S. Dixon, DAFx 2006.
 */
export function onsetStrength(
  channels: readonly Float32Array[],
  sampleRate: number,
  progress?: Progress,
  range?: FrameRange,
  source = channelSource(channels, sampleRate, range !== undefined),
): OnsetStrength {
  const seen = surveyOf(channels, sampleRate, progress)
  const frames = range ?? { from: 0, to: onsetFrames(channels, sampleRate) }
  const room = prepare(channels, sampleRate, source, seen, frames)
  const { from, to } = frames
  progress?.(0)
  // The frames just before are made too, for what is compared with them.
  for (let f = Math.max(0, from - 2 * LAG); f < to; f++) {
    if (progress && f % 256 === 0) progress((f - from) / (to - from))
    makeFrame(room, f)
  }
  const { values, regions, complex, level, top } = room
  const step = room.hop * source.factor
  const start = -LEAD * step
  return {
    hop: step,
    start,
    offset: start - Math.round((LAG * step) / 2),
    values,
    regions,
    complex,
    level,
    top,
  }
}
