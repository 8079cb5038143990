// Formants apart from pitch: warps the spectral envelope before transposing, so that transposing puts it where it belongs.
import { energy } from '../dsp/energy'
import { ratioAt } from './curve'
import { isReshaped } from './spans'
import type { Source, Span, StretchSettings } from './types'
import { warped, type Warp } from './warped'

/** Ratio by which the formants move in all. */
export const formantRatio = (s: Pick<StretchSettings, 'formants' | 'formantShift' | 'pitch'>): number =>
  (s.formants === 'move' ? s.pitch : 1) * 2 ** (s.formantShift / 12)

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
  warp: Warp,
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

/** How the envelope of a span is warped. */
function warpOf(span: Span, settings: StretchSettings): Warp {
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
