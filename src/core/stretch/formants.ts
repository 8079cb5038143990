// Formants apart from pitch: warps the spectral envelope before transposing, so that transposing puts it where it belongs.
import { latest } from '../latest'
import { energy } from '../dsp/energy'
import { hann } from '../dsp/windows'
import { ratioAt } from './curve'
import { envelopeMaker } from './envelope'
import { pitchGuide } from './guide'
import { remembered } from './remembered'
import { isReshaped } from './spans'
import type { Source, Span, StretchSettings } from './types'
import { frameWarper, type WarpedFrame } from './warped-frames'

const WINDOW_SECONDS = 0.046
const OVERLAP = 4
/** Frames lie on multiples of this many hops, whatever part of the recording is shaped. */
const GRID = 16

/** The level is kept over this many frames on either side of each, and no more than so many times is made up for. */
const AROUND = 2
const MOST_LEVEL = 2

/** Ratio by which the formants move in all. */
export const formantRatio = (s: Pick<StretchSettings, 'formants' | 'formantShift' | 'pitch'>): number =>
  (s.formants === 'move' ? s.pitch : 1) * 2 ** (s.formantShift / 12)

/** As many are remembered as a second has, about. */
const REMEMBERED = 128
/** Envelopes of frames of a recording by their first sample, which overlapping parts of it ask for again. */
const envelopes = remembered(() => latest<number, Float32Array>(REMEMBERED))

/** Warped frames in the same way, as spans and their margins overlap. */
const frames = remembered(() => latest<number, WarpedFrame>(REMEMBERED))
/** What a recording stands beside 0 by, channel by channel: no part of its sound, and in the way of its level. */
const offsets = remembered(({ channels }) => channels.map((x) => x.reduce((sum, v) => sum + v, 0) / x.length))

/**
 * A stretch of recording with its spectral envelope warped along frequency, for transposing to undo.
 *
 * Frames lie at fixed places of the recording and all channels share their gains, so that every part of the
 * result depends on the recording around it only.
 *
 * @param warp at a recording sample: the envelope at f becomes what it is at f * warp
 * @param attack from where on nothing of the recording is heard
 * @returns planar samples of [from, to)
 */
function warped(
  source: Source,
  from: number,
  to: number,
  warp: (place: number) => number,
  attack = Infinity,
): Float32Array[] {
  const size = 2 ** Math.round(Math.log2(WINDOW_SECONDS * source.sampleRate))
  const half = size / 2
  const hop = size / OVERLAP
  const { sampleRate } = source
  const guide = pitchGuide(source)
  const frame = frameWarper(source.channels.length, size)
  const envelope = envelopeMaker(size, sampleRate)
  const known = envelopes(source)
  const done = frames(source)
  const window = hann(size)
  // The level is compared over whole frames.
  const beside = (attack < Infinity ? 1 : 2) * size
  const [first, end] = [from - beside, to + beside]
  const out = source.channels.map(() => new Float32Array(end - first))
  const starts: number[] = []
  const powers: number[] = []
  // The recording beyond the frames' reach, with nothing beside 0; before it and after it there is silence.
  const low = Math.max(0, first - size)
  const offset = offsets(source)
  const sounds = source.channels.map((x, c) =>
    x.slice(low, Math.max(low, end + size)).map((v) => v - offset[c]!),
  )
  // Instead of the attack, and of an edge there, what is before it once more, backwards.
  const turn = attack - low
  for (const x of sounds) for (let i = Math.max(1, turn); i < x.length; i++) x[i] = x[2 * turn - 1 - i] ?? 0
  const warpedFrame = (at: number, factor: number): WarpedFrame => {
    const mags = frame.read(sounds, at - low)
    const make = (): Float32Array => envelope(mags, guide(Math.min(at + half, attack - hop)))
    return frame.warp(at + size > attack ? make() : known.of(at, make), factor)
  }
  for (let at = Math.floor((first - size) / (GRID * hop)) * GRID * hop; at < end; at += hop) {
    if (at + size <= first) continue
    const factor = warp(at + half)
    const make = (): WarpedFrame => warpedFrame(at, factor)
    const made = at + size > attack ? make() : done.of(at, make, (f) => f.factor === factor)
    starts.push(at)
    powers.push(made.power)
    made.channels.forEach((piece, c) => {
      const o = out[c]!
      const last = Math.min(size, end - at)
      for (let i = Math.max(0, first - at); i < last; i++) o[at - first + i]! += piece[i]!
    })
  }
  keepLevel(
    out,
    window,
    starts.map((at) => at - first),
    powers,
  )
  out.forEach((x, c) => {
    const last = Math.min(end, source.channels[c]!.length) - first
    for (let i = Math.max(0, -first); i < last; i++) x[i]! += offset[c]!
  })
  return out.map((x) => x.subarray(from - first, to - first))
}

/** Frames carry an attack to before it; what lies so long before it is warped without it. Seconds. */
const APART = 0.023
/** Over so long before the attack, and over this share of all that at its beginning, it goes over to what is warped as a whole. */
const OVER = 0.0005
const SHARE = 0.25
/**
 * What the attack makes louder by this is taken out in part, and by that wholly, dB: else what sounds there plays on, and has no
 * end that could be told from its beginning.
 */
const LOUDER = { from: 0.8, whole: 2 } as const

/** Takes out of what was warped what frames carry of an attack to before it. @param first place of what was warped */
function apart(
  out: readonly Float32Array[],
  source: Source,
  first: number,
  attack: number,
  warp: (place: number) => number,
): void {
  const from = Math.max(first, attack - Math.round(APART * source.sampleRate))
  const over = OVER * source.sampleRate
  const count = Math.min(first + out[0]!.length, attack) - from
  if (count < 4 * over) return
  const before = warped(source, from, from + count, warp, attack)
  const power = (some: readonly Float32Array[], at: number): number =>
    some.reduce((sum, x) => sum + energy(x, at + (count >> 1), at + count), 1e-20)
  const louder = 10 * Math.log10(power(out, from - first) / power(before, 0))
  const most = Math.min(1, (louder - LOUDER.from) / (LOUDER.whole - LOUDER.from))
  if (most <= 0) return
  out.forEach((x, c) => {
    const y = before[c]!
    for (let i = 0; i < count; i++) {
      const w = most * Math.min(1, (i + 0.5) / (SHARE * count), (attack - from - i - 0.5) / over)
      x[from - first + i]! += w * (y[i]! - x[from - first + i]!)
    }
  })
}

/**
 * Gives overlapped frames the level that they were to have: what steep gains make of the skirts of strong partials
 * does not survive the overlap, and would be missed.
 *
 * @param starts of the frames in it, a hop apart; @param powers that they should have under the squared window
 */
function keepLevel(
  channels: readonly Float32Array[],
  window: Float32Array,
  starts: readonly number[],
  powers: readonly number[],
): void {
  const got = starts.map((at) => {
    let sum = 0
    for (const x of channels)
      for (let i = Math.max(0, -at); i < window.length && at + i < x.length; i++)
        sum += (x[at + i]! * window[i]!) ** 2
    return sum
  })
  const gains = starts.map((_, k) => {
    let [wanted, there] = [1e-20, 1e-20]
    for (let j = Math.max(0, k - AROUND); j <= Math.min(starts.length - 1, k + AROUND); j++) {
      wanted += powers[j]!
      there += got[j]!
    }
    return Math.max(1 / MOST_LEVEL, Math.min(MOST_LEVEL, Math.sqrt(wanted / there)))
  })
  // In straight lines from the middle of one frame to that of the next.
  for (let k = 0; k + 1 < starts.length; k++) {
    const [at, hop] = [starts[k]! + window.length / 2, starts[k + 1]! - starts[k]!]
    const step = (gains[k + 1]! - gains[k]!) / hop
    for (const x of channels)
      for (let i = Math.max(0, -at); i < hop && at + i < x.length; i++) x[at + i]! *= gains[k]! + step * i
  }
}

/** Recording on either side of a span that methods may read, seconds; Mix parts it by a long filter besides. */
const MARGIN = 0.15
const MIX_MARGIN = 0.25

/** A span with the recording around it, as methods are to read it. */
export interface Shaped {
  readonly source: Source
  readonly span: Span
}

/** Where only a span's own curve changes the pitch, its ends run into the recording as it is over this long, seconds. */
const END = 0.005

/** Fades the ends of what was warped into the recording beside it. */
function fadeEnds(parts: readonly Float32Array[], source: Source, first: number, span: Span): void {
  const fade = Math.min(Math.round(END * source.sampleRate), (span.to - span.from) >> 1)
  parts.forEach((x, c) => {
    const plain = source.channels[c]!
    for (let i = 0; i < x.length; i++) {
      const inside = Math.min(first + i - span.from, span.to - 1 - first - i)
      if (inside >= fade) continue
      const w = Math.max(0, inside / fade)
      x[i] = w * x[i]! + (1 - w) * (plain[first + i] ?? 0)
    }
  })
}

/** The envelope of a span at f becomes what it is at f times this, by place of the recording. */
function warpOf(span: Span, settings: StretchSettings): (place: number) => number {
  const { curve } = span
  const shift = 2 ** (settings.formantShift / 12)
  return (place) =>
    (settings.formants === 'move' ? 1 : settings.pitch * (curve ? ratioAt(curve, place) : 1)) / shift
}

/** True when the envelope of a span is warped at all. */
export const isShaped = (span: Span, settings: StretchSettings): boolean =>
  (span.curve !== undefined && settings.formants === 'keep') ||
  Math.abs(warpOf(span, settings)(span.from) - 1) >= 1e-9

/**
 * The span with its envelope warped so that its formants are right after transposing; as it is when they are by
 * themselves.
 */
export function shaped(source: Source, span: Span, settings: StretchSettings): Shaped {
  const { curve } = span
  if (!isShaped(span, settings)) return { source, span }
  const warp = warpOf(span, settings)
  const margin = Math.round((settings.method === 'mix' ? MIX_MARGIN : MARGIN) * source.sampleRate)
  // No further than the recording: beside it there is nothing that a method could read.
  const first = Math.max(Math.min(0, span.from), span.from - margin)
  const last = Math.min(Math.max(source.channels[0]!.length, span.to), span.to + margin)
  const channels = warped(source, first, last, warp)
  if (span.attackAtEnd) apart(channels, source, first, span.to, warp)
  if (!isReshaped(settings)) fadeEnds(channels, source, first, span)
  return {
    source: { ...source, channels },
    span: {
      ...span,
      origin: (span.origin ?? 0) + first,
      from: span.from - first,
      to: span.to - first,
      ...(curve ? { curve: curve.map((p) => ({ ...p, source: p.source - first })) } : {}),
    },
  }
}
