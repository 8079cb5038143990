// Hits: every attack sample for sample from the recording; only the tail after it is shortened or filled.
import { copyRange, sliceRange } from '../dsp/signal'
import { voiceOf } from './copy'
import { crossfadeTo, fadeOut } from './joins'
import type { Method, Source, Span, StretchSettings } from './types'

/** Crossfade into the recording's last moments before the next attack, seconds. */
const LEAD = 0.004
/** What a sound keeps at least, whatever the tail setting, seconds. */
const LEAST_KEPT = 0.025
const REST_FADE = 0.012
const LOOP_FADE = 0.006

/** Mono sum around a place, for choosing turning points. */
const monoAt = (s: Source, i: number): number => s.channels.reduce((sum, c) => sum + (c[i] ?? 0), 0)

/**
 * The place nearest before `at`, at most `within` back, where the waveform turns: reading may reverse there
 * without a corner.
 */
function turningPoint(s: Source, at: number, within: number): number {
  for (let i = at; i > at - within; i--) {
    const before = monoAt(s, i) - monoAt(s, i - 1)
    const after = monoAt(s, i + 1) - monoAt(s, i)
    if (before === 0 || before < 0 !== after < 0) return i
  }
  return at
}

/**
 * Decay of level over a range, nepers a sample, from a line through the logs of eight block energies; not below 0.
 */
function decayRate(s: Source, from: number, to: number): number {
  const blocks = 8
  const size = Math.floor((to - from) / blocks)
  if (size < 8) return 0
  let [sx, sy, sxx, sxy] = [0, 0, 0, 0]
  for (let b = 0; b < blocks; b++) {
    let energy = 1e-12
    for (const c of s.channels)
      for (let i = from + b * size; i < from + (b + 1) * size; i++) energy += (c[i] ?? 0) ** 2
    const x = (b + 0.5) * size
    const y = 0.5 * Math.log(energy)
    sx += x
    sy += y
    sxx += x * x
    sxy += x * y
  }
  return Math.max(0, -(blocks * sxy - sx * sy) / (blocks * sxx - sx * sx))
}

interface Loop {
  /** Range of the recording that the filling is made from. */
  readonly from: number
  readonly to: number
  readonly decay: number
}

function loopOf(s: Source, span: Span, end: number): Loop {
  const ms = s.sampleRate / 1000
  const body = end - span.from
  const start = span.from + Math.round(Math.max(body / 2, Math.min(LEAST_KEPT * s.sampleRate, body - 8 * ms)))
  const to = turningPoint(s, end, Math.min(3 * ms, body / 4))
  const from = turningPoint(s, Math.max(span.from, start), Math.min(3 * ms, body / 4))
  return { from, to: Math.max(to, from + 1), decay: decayRate(s, from, to) }
}

/** Back and forth over the loop, its level going on falling as the sound did. */
function fillMirror(s: Source, loop: Loop, out: readonly Float32Array[], at: number, end: number): void {
  const width = loop.to - loop.from
  for (let n = at; n < end; n++) {
    const phase = (n - at + 1) % (2 * width)
    const back = phase <= width ? phase : 2 * width - phase
    const gain = Math.exp(-loop.decay * (n - at + 1 + back))
    const p = loop.to - back
    s.channels.forEach((c, i) => {
      out[i]![n] = gain * (c[p] ?? 0)
    })
  }
}

/** Forward again and again, each pass crossfaded onto the one before, its level going on falling. */
function fillRepeat(s: Source, loop: Loop, out: readonly Float32Array[], at: number, end: number): void {
  const width = loop.to - loop.from
  const fade = Math.min(Math.round(LOOP_FADE * s.sampleRate), width >> 2)
  const step = width - fade
  let gain = 1
  for (let n = at; n < end; n += step) {
    gain *= Math.exp(-loop.decay * step)
    const count = Math.min(width, end - n + fade)
    const piece = s.channels.map((c) => sliceRange(c, loop.from, loop.from + count).map((x) => gain * x))
    crossfadeTo(out, n - fade, fade, piece, 0)
    piece.forEach((x, i) => out[i]!.set(x.subarray(fade), n))
  }
}

/**
 * Renders a span by copying its attack and filling or shortening what follows.
 *
 * The output begins as the recording, sample for sample, for as long as recording and output both last; the
 * last few milliseconds fade into the recording before the next attack.
 *
 * Source: common practice in cutting percussion; level continuation after exponential decay of struck bodies
 * (Fletcher & Rossing, "The Physics of Musical Instruments", chapter 1).
 */
export const hits: Method = (source, span, settings) => voiceOf(renderHits(source, span, settings))

function renderHits(source: Source, span: Span, settings: StretchSettings): Float32Array[] {
  const { from, to, length } = span
  const rate = source.sampleRate
  const out = source.channels.map(() => new Float32Array(length))
  const sourceLength = to - from
  const lead = span.joinsEnd ? Math.min(Math.round(LEAD * rate), sourceLength >> 2, length >> 2) : 0
  const body = sourceLength - lead
  const copied = Math.min(length, body)
  source.channels.forEach((c, i) => copyRange(c, from, from + copied, out[i]!))
  const gapEnd = length - lead
  const kept = Math.max(Math.round(LEAST_KEPT * rate), Math.round((body * settings.tail) / 100))
  const rest = Math.min(Math.round(REST_FADE * rate), copied >> 1)
  if (kept < copied) {
    fadeOut(out, kept - Math.min(rest, kept >> 1), Math.min(rest, kept >> 1))
    for (const o of out) o.fill(0, kept)
  } else if (copied < gapEnd) {
    const loop = loopOf(source, span, from + copied - 1)
    const at = loop.to + 1 - from
    if (settings.fill === 'rest') {
      fadeOut(out, copied - rest, rest)
    } else if (settings.fill === 'mirror') fillMirror(source, loop, out, at, length)
    else fillRepeat(source, loop, out, at, length)
  } else if (copied < length) {
    // Squeezed: what the fade below starts from is the recording running on.
    source.channels.forEach((c, i) => copyRange(c, from + copied, from + length, out[i]!, copied))
  }
  crossfadeTo(out, gapEnd, lead, source.channels, to - lead)
  return out
}
