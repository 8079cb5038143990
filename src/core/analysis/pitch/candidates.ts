// Pitch candidates of every frame: minima of the normalized difference function with their probabilities.
import { fftSize, realFft } from '../../dsp/fft'
import { workspaceAgain } from '../../dsp/kernels/kernels'
import type { FrameRange, Progress } from '../progress'
import { joined } from '../../dsp/signal'
import type { Source } from '../source'
import { readWarped, warpOf, type Warp } from './warps'

/** Lowest and highest pitch looked for, Hz: from below A0 on. */
export const PITCH_RANGE = { low: 26.5, high: 1600 } as const
/** Most candidates kept of a frame. */
export const MOST = 8

/** Candidates of all frames, flat: frame f has those from f * MOST to f * MOST + count[f]. */
export interface PitchCandidates {
  /** Seconds between frames; frame f is centred at f * hop. */
  readonly hop: number
  readonly frames: number
  readonly count: Uint8Array
  /** Hz. */
  readonly hz: Float32Array
  /** 0-1; of one frame they sum to at most 1. */
  readonly probability: Float32Array
  /** Least value of the normalized difference function, 0 (periodic) to about 1. */
  readonly aperiodicity: Float32Array
  /** Natural log of the power of the frame, full-scale sine about 0. */
  readonly level: Float32Array
}

const HOP_SECONDS = 0.0058
/** Samples compared at every lag, seconds. */
const WINDOW_SECONDS = 0.03
/** Half a middling period: frames begin that much sooner, so that low and high tones are centred about alike, seconds. */
const HALF_PERIOD = 0.0031
/**
 * Lower than this, Hz, a pitch needs a first harmonic with so much of the power. Bass guitars have -11 dB or more, a bowed
 * bass -29, a piano -35, and what is only the common period of several notes -48 or less (medians of General MIDI
 * instruments and of bands made by code).
 */
const DEEP = 40
const FIRST_HARMONIC = 10 ** -4.4
/** A frame whose wave repeats no better than this may glide: what it is like is looked at as if it did. */
const UNCLEAR = 0.05
/**
 * Speeds of such glides, octaves a second. A vibrato of 120 cents has 3.8 at most (6 Hz); speakers reach about 5
 * (Y. Xu & X. Sun, "Maximum speed of pitch change and how it may relate to speech", JASA 111(3), 2002; from memory).
 */
const GLIDES = [1.5, -1.5, 3, -3, 5, -5]
/** It does glide where it repeats as well as this then, and so much better. Of chords by code no frame does. */
const GLIDING = 0.15
const BETTER = 0.5
/** Glides are looked for in every so many frames, where one within `NEAR` frames (70 ms) is clear, as turns of a vibrato are. */
const EACH = 4
const CLEAR = 0.1
/** In those only every so many samples are looked at: glides of more than a few octaves a second are those of low voices. */
const COARSE = 4
const NEAR = 12
/** Probability of the deepest minimum when no threshold is met (Mauch & Dixon's p_a). */
const FALLBACK = 0.01

/**
 * Cumulative Beta(2, 18) distribution (mean 0.1) of the threshold: P(threshold <= x) = 1 - (1 - x)^18 (1 + 18 x).
 * Source: M. Mauch & S. Dixon, "pYIN: a fundamental frequency estimator using probabilistic threshold
 * distributions", ICASSP 2014 (figure 2, Beta with mean 0.1).
 */
export function thresholdCdf(x: number): number {
  if (x <= 0) return 0
  if (x >= 1) return 1
  const y = 1 - x
  const y2 = y * y
  const y4 = y2 * y2
  const y8 = y4 * y4
  return 1 - y8 * y8 * y2 * (1 + 18 * x)
}

const spaces = { fine: workspaceAgain(), coarse: workspaceAgain() }

const hopOf = (source: Source): number => Math.max(1, Math.round(HOP_SECONDS * source.rate))

/** Number of frames of a recording. */
export const pitchFrames = (source: Source): number => Math.ceil(source.length / hopOf(source)) + 1

/** Candidates of neighbouring ranges as one. */
export const joinCandidates = (parts: readonly PitchCandidates[]): PitchCandidates => ({
  hop: parts[0]!.hop,
  frames: parts.reduce((n, p) => n + p.frames, 0),
  count: joined(parts.map((p) => p.count)),
  hz: joined(parts.map((p) => p.hz)),
  probability: joined(parts.map((p) => p.probability)),
  aperiodicity: joined(parts.map((p) => p.aperiodicity)),
  level: joined(parts.map((p) => p.level)),
})

/** Everything that frames are made with. @param step samples of the source between those that are compared */
function prepare(source: Source, step = 1) {
  const hop = hopOf(source)
  const rate = source.rate / step
  const width = Math.round(WINDOW_SECONDS * rate)
  const longest = Math.ceil(rate / PITCH_RANGE.low) + 2
  const shortest = Math.max(2, Math.floor(rate / PITCH_RANGE.high) - 1)
  const span = width + longest
  /** Samples from a frame's first to its middle. */
  const ahead = (width >> 1) + Math.round(HALF_PERIOD * rate)
  const size = fftSize(span)
  const fft = realFft(size)
  const space = (step === 1 ? spaces.fine : spaces.coarse)(3 * size + longest)
  const long = space.floats(size)
  const filled = long.subarray(0, span)
  const backwards = space.floats(size)
  const correlation = space.floats(size)
  const d = space.floats(longest + 1)
  const warpAt = (speed: number): Warp => warpOf(speed, source.rate, span, ahead, step)
  const steady = warpAt(0)
  const warps = GLIDES.map(warpAt)
  const before = Math.max(...warps.map((w) => w.before))
  const raw = new Float32Array(before + Math.max(...warps.map((w) => w.length - w.before)) + step)
  return {
    ...{ source, step, rate, hop, width, longest, shortest, span, ahead, fft, space },
    ...{ long, filled, backwards, correlation, d, steady, warps, before, raw },
  }
}

type Room = ReturnType<typeof prepare>

/** Candidates of some frames, before they are known. */
const roomForFrames = (frames: number, hop: number): PitchCandidates => ({
  hop,
  frames,
  count: new Uint8Array(frames),
  hz: new Float32Array(frames * MOST),
  probability: new Float32Array(frames * MOST),
  aperiodicity: new Float32Array(frames).fill(1),
  level: new Float32Array(frames),
})

const levelOf = (energy: number, width: number): number => Math.log((2 * energy) / width + 1e-12)
const SILENT = levelOf(1e-9, 1)
const isSilence = ({ width }: Room, energy: number): boolean => levelOf(energy, width) < SILENT

/** Finds the normalized difference function of the frame that was read. @returns its energy; of silence nothing is found */
function differ(room: Room): number {
  const { width, longest, fft, space, long, backwards, correlation, d, span } = room
  const { run } = space
  const energy = run.center(long.byteOffset, span, width)
  if (isSilence(room, energy)) return energy
  // Convolved with its own start backwards, the signal is correlated with it, from place width - 1 on.
  run.reverse(long.byteOffset, backwards.byteOffset, width)
  fft.convolve(long, backwards, correlation)
  const zeroLag = correlation.byteOffset + 4 * (width - 1)
  run.normalizedDifference(long.byteOffset, zeroLag, d.byteOffset, width, longest, energy)
  return energy
}

/** One frame, as slot `f`. A function of its own over plain values: compilers have done with it sooner than with a long loop. */
function makeFrame(room: Room, frame: number, out: PitchCandidates, f: number): void {
  const { source, hop, ahead, width } = room
  source.copy(0, frame * hop - ahead, room.filled)
  const energy = differ(room)
  out.level[f] = levelOf(energy, width)
  if (!isSilence(room, energy)) out.aperiodicity[f] = keepMinima(room, energy, f, out)
}

/** Takes what a frame is read from, at whatever speed, without what is too high for the step. */
function takeFrame({ source, step, hop, ahead, before, raw }: Room, frame: number): void {
  source.copy(0, frame * hop - ahead * step - before, raw)
  for (let i = 0; step > 1 && i + step <= raw.length; i++) {
    let sum = 0
    for (let k = 0; k < step; k++) sum += raw[i + k]!
    raw[i] = sum
  }
}

/** Reads the frame that was taken at a changing speed and finds its difference function. @returns its energy */
function differWarped(room: Room, warp: Warp): number {
  readWarped(warp, room.raw.subarray(room.before - warp.before), room.filled)
  return differ(room)
}

/** Least value of the difference function of the frame that was taken, read at a changing speed; 1 of silence. */
function leastOf(room: Room, warp: Warp): number {
  if (isSilence(room, differWarped(room, warp))) return 1
  const { d, shortest, longest } = room
  let least = 1
  for (let t = shortest; t < longest; t++) if (d[t]! < least) least = d[t]!
  return least
}

/** The way of reading a frame by which its wave repeats, if one does. @param aperiodicity as it repeats when read at a steady speed */
function glideOf(
  room: Room,
  frame: number,
  aperiodicity: number | undefined,
  some = room.warps,
): Warp | undefined {
  takeFrame(room, frame)
  let best = Math.min(GLIDING, BETTER * (aperiodicity ?? leastOf(room, room.steady)))
  let found: Warp | undefined
  for (const warp of some) {
    const least = leastOf(room, warp)
    if (least < best) [best, found] = [least, warp]
  }
  return found
}

/**
 * Pitch candidates every 5.8 ms.
 *
 * Difference function by FFT: d(t) = sum x[j]^2 + sum x[j + t]^2 - 2 r(t), then divided by its cumulative mean.
 * Sources: A. de Cheveigné & H. Kawahara, "YIN, a fundamental frequency estimator for speech and music",
 * JASA 111(4), 2002; Mauch & Dixon 2014 for the probabilities.
 *
 * Where a pitch glides no two periods are alike. Frames between clear ones that are not are read at changing speeds too, and
 * where one of them makes the wave repeat its candidates are taken.
 *
 * @param source one channel; @param range frames to make, where others make the rest; all without it
 */
export function pitchCandidates(source: Source, progress?: Progress, range?: FrameRange): PitchCandidates {
  const room = prepare(source)
  const coarse = prepare(source, COARSE)
  const { from, to } = range ?? { from: 0, to: pitchFrames(source) }
  const out = roomForFrames(to - from, room.hop / room.rate)
  // Around the range too: which of its frames glide is not to depend on where it ends.
  const first = from - NEAR - EACH
  const periodic = new Float32Array(to + NEAR + EACH - first)
  const beside = roomForFrames(1, 0)
  for (let f = first; f < first + periodic.length; f++) {
    if (progress && f % 128 === 0) progress(Math.max(0, f - from) / (to - from + NEAR + EACH))
    const inside = f >= from && f < to
    const slot = inside ? f - from : 0
    const into = inside ? out : beside
    into.aperiodicity[slot] = 1
    makeFrame(room, f, into, slot)
    periodic[f - first] = into.level[slot]! < SILENT ? NaN : into.aperiodicity[slot]!
  }
  const found = new Map<number, Warp | undefined>()
  /** How one of the frames that are looked at glides, if it does. @param frame a multiple of `EACH` */
  const glideAt = (frame: number): Warp | undefined => {
    if (found.has(frame)) return found.get(frame)
    const own = periodic[frame - first]!
    const around = periodic.subarray(frame - NEAR - first, frame + NEAR + 1 - first)
    const may = own >= UNCLEAR && own < 1 && around.some((v) => v < CLEAR)
    const glide = may ? glideOf(coarse, frame, undefined) : undefined
    found.set(frame, glide)
    return glide
  }
  for (let f = from; f < to; f++) {
    const own = periodic[f - first]!
    if (!(own >= UNCLEAR)) continue
    const before = EACH * Math.floor(f / EACH)
    const sides = [glideAt(before), glideAt(before + EACH)].filter((warp) => warp !== undefined)
    // Not many frames later a pitch glides the same way.
    const some = room.warps.filter(({ speed }) => sides.some((warp) => speed * warp.speed > 0))
    const glide = some.length ? glideOf(room, f, own, some) : undefined
    if (!glide) continue
    const energy = differWarped(room, glide)
    out.aperiodicity[f - from] = keepMinima(room, energy, f - from, out)
  }
  return out
}

/** Place of the minimum of a parabola through three neighbours, relative to the middle one. */
const vertex = (a: number, b: number, c: number): number => {
  const bend = a - 2 * b + c
  return bend > 0 ? (0.5 * (a - c)) / bend : 0
}

/** Shorter periods than this are measured over several, samples. */
const SHORT = 60
const MOST_PERIODS = 4

/** A short period measured over up to four of them, where the wave repeats as well as over one. */
function sharpened(d: Float32Array, period: number, depth: number, longest: number): number {
  const times = Math.min(MOST_PERIODS, Math.floor((longest - 3) / period))
  if (period > SHORT || times < 2) return period
  let t = Math.round(times * period)
  if (d[t - 1]! < d[t]!) t--
  else if (d[t + 1]! < d[t]!) t++
  if (d[t]! > depth + 0.1 || d[t - 1]! < d[t]! || d[t + 1]! < d[t]!) return period
  return (t + vertex(d[t - 1]!, d[t]!, d[t + 1]!)) / times
}

/** So many samples are taken together to look for a first harmonic; sums of them have nothing of their own rate. */
const TOGETHER = 16

/**
 * Share of a sound's power that its first harmonic has, 0-1, under a Hann window over two periods, or all there is: in
 * two whole ones no other harmonic is seen there.
 *
 * @param power of all of it, a sample
 */
function firstHarmonic(x: Float32Array, period: number, power: number): number {
  const n = Math.min(x.length, Math.round(2 * period))
  const [turn, bend] = [(2 * Math.PI) / period, (2 * Math.PI) / n]
  let [re, im] = [0, 0]
  for (let i = 0; i + TOGETHER <= n; i += TOGETHER) {
    let sum = 0
    for (let k = i; k < i + TOGETHER; k++) sum += x[k]!
    const v = (0.5 - 0.5 * Math.cos(bend * (i + TOGETHER / 2))) * sum
    re += v * Math.cos(turn * i)
    im += v * Math.sin(turn * i)
  }
  return (8 * (re * re + im * im)) / (n * n * (power + 1e-20))
}

/** Finds the minima of the frame that was read and stores the likeliest as those of slot `frame`; returns the least value. */
function keepMinima(room: Room, energy: number, frame: number, out: PitchCandidates): number {
  const { d, shortest, longest, rate, filled: x } = room
  const { run } = room.space
  const power = energy / room.width
  const base = frame * MOST
  let count = 0
  let lowest = 1
  let deepest = -1
  let best = 1
  const next = (t: number): number => run.nextMinimum(d.byteOffset, t, longest, 0.6)
  for (let t = next(shortest); t < longest; t = next(t + 1)) {
    const v = d[t]!
    const shift = vertex(d[t - 1]!, v, d[t + 1]!)
    const depth = Math.max(0, v - 0.25 * (d[t - 1]! - d[t + 1]!) * shift)
    // Chosen by every threshold above its own depth and at most that of the shallower minima before it.
    const p = thresholdCdf(lowest) - thresholdCdf(depth)
    const isDeepest = depth < best
    if (p <= 1e-4 && !isDeepest) continue
    if (t * DEEP > rate && firstHarmonic(x, t + shift, power) < FIRST_HARMONIC) continue
    if (depth < lowest) lowest = depth
    let slot = count
    if (count === MOST) {
      slot = 0
      for (let k = 1; k < MOST; k++) if (out.probability[base + k]! < out.probability[base + slot]!) slot = k
      if (out.probability[base + slot]! > p) continue
    } else count++
    if (isDeepest) [deepest, best] = [slot, depth]
    out.hz[base + slot] = rate / sharpened(d, t + shift, depth, longest)
    out.probability[base + slot] = Math.max(0, p)
  }
  if (deepest >= 0) out.probability[base + deepest]! += FALLBACK * (1 - thresholdCdf(best))
  out.count[frame] = count
  return best
}
