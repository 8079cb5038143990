// Pitch candidates of every frame: minima of the normalized difference function with their probabilities.
import { fftSize, realFft } from '../../dsp/fft'
import { workspaceAgain, type Workspace } from '../../dsp/kernels/kernels'
import type { FrameRange, Progress } from '../progress'
import { joined } from '../../dsp/signal'
import type { Source } from '../source'

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

const roomFor = workspaceAgain()

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

/** Everything that frames are made with, and what they are written to. */
function prepare(source: Source, { from, to }: FrameRange) {
  const { rate } = source
  const hop = hopOf(source)
  const width = Math.round(WINDOW_SECONDS * rate)
  const longest = Math.ceil(rate / PITCH_RANGE.low) + 2
  const shortest = Math.max(2, Math.floor(rate / PITCH_RANGE.high) - 1)
  const span = width + longest
  const size = fftSize(span)
  const fft = realFft(size)
  const space = roomFor(3 * size + longest)
  const long = space.floats(size)
  const filled = long.subarray(0, span)
  const backwards = space.floats(size)
  const correlation = space.floats(size)
  const d = space.floats(longest + 1)
  const frames = to - from
  const out = {
    hop: hop / rate,
    frames,
    count: new Uint8Array(frames),
    hz: new Float32Array(frames * MOST),
    probability: new Float32Array(frames * MOST),
    aperiodicity: new Float32Array(frames),
    level: new Float32Array(frames),
  }
  return {
    ...{ source, from, rate, hop, width, longest, shortest, span, fft, space },
    ...{ long, filled, backwards, correlation, d, out },
  }
}

/** One frame. A function of its own over plain values: compilers have done with it sooner than with a long loop. */
function makeFrame(room: ReturnType<typeof prepare>, f: number): void {
  const {
    source,
    from,
    rate,
    hop,
    width,
    longest,
    shortest,
    fft,
    space,
    long,
    backwards,
    correlation,
    d,
    out,
  } = room
  const { run } = space
  source.copy(0, (from + f) * hop - (width >> 1) - Math.round(HALF_PERIOD * rate), room.filled)
  const energy = run.center(long.byteOffset, room.span, width)
  out.level[f] = Math.log((2 * energy) / width + 1e-12)
  out.aperiodicity[f] = 1
  if (energy < 1e-9 * width) return
  // Convolved with its own start backwards, the signal is correlated with it, from place width - 1 on.
  run.reverse(long.byteOffset, backwards.byteOffset, width)
  fft.convolve(long, backwards, correlation)
  const zeroLag = correlation.byteOffset + 4 * (width - 1)
  run.normalizedDifference(long.byteOffset, zeroLag, d.byteOffset, width, longest, energy)
  out.aperiodicity[f] = keepMinima(space, room.filled, energy / width, d, shortest, longest, rate, f, out)
}

/**
 * Pitch candidates every 5.8 ms.
 *
 * Difference function by FFT: d(t) = sum x[j]^2 + sum x[j + t]^2 - 2 r(t), then divided by its cumulative mean.
 * Sources: A. de Cheveigné & H. Kawahara, "YIN, a fundamental frequency estimator for speech and music",
 * JASA 111(4), 2002; Mauch & Dixon 2014 for the probabilities.
 *
 * @param source one channel; @param range frames to make, where others make the rest; all without it
 */
export function pitchCandidates(source: Source, progress?: Progress, range?: FrameRange): PitchCandidates {
  const room = prepare(source, range ?? { from: 0, to: pitchFrames(source) })
  const { frames } = room.out
  for (let f = 0; f < frames; f++) {
    if (progress && f % 128 === 0) progress(f / frames)
    makeFrame(room, f)
  }
  return room.out
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

/** Finds a frame's minima and stores the likeliest; returns the least value. */
function keepMinima(
  { run }: Workspace,
  x: Float32Array,
  power: number,
  d: Float32Array,
  shortest: number,
  longest: number,
  rate: number,
  frame: number,
  out: Pick<PitchCandidates, 'count' | 'hz' | 'probability'> & { count: Uint8Array },
): number {
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
