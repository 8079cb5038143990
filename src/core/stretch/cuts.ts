// Cuts: slices are moved, never stretched; gaps are covered by their neighbours, overlaps crossfaded where it is quiet.
import { copyRange } from '../dsp/signal'
import { voiceOf } from './copy'
import { crossfadeTo, fadeOut } from './joins'
import type { Method, Source, Span } from './types'

/** What a slice keeps of its start at least, seconds. */
const KEPT = 0.03
/** Crossfade from one slice to the next, seconds. */
const FADE = 0.012
/** Fade where nothing covers a gap, seconds. */
const OPEN_FADE = 0.015
/** Where slices overlap, this much before the next one is already its own run-up, so that no tail hides its attack, seconds. */
const RUN_UP = 0.022
/** Level is compared over this long, seconds. */
const LEVEL = 0.004

/** Place in [from, to) of the output where both sounds together are quietest over a fade; the earliest of equals. */
function quietest(
  source: Source,
  from: number,
  to: number,
  outgoing: number,
  incoming: number,
  fade: number,
): number {
  const hop = Math.max(1, Math.round(LEVEL * source.sampleRate))
  let best = from
  let least = Infinity
  for (let x = from; x < to; x += hop) {
    let power = 0
    for (const c of source.channels)
      for (let i = x; i < x + fade; i++) power += (c[i + outgoing] ?? 0) ** 2 + (c[i + incoming] ?? 0) ** 2
    if (power < least) [best, least] = [x, power]
  }
  return best
}

/**
 * Renders a span as a slice that starts at its place, followed by what comes before the next slice, which runs into
 * it unchanged. Both overlap by as much as they can; they are crossfaded where that is least heard. Where they do
 * not meet there is silence.
 *
 * Source: common practice in editing by cuts.
 */
export const cuts: Method = (source, span) => voiceOf(renderCuts(source, span))

function renderCuts(source: Source, span: Span): Float32Array[] {
  const { from, to, length } = span
  const rate = source.sampleRate
  const body = to - from
  const out = source.channels.map(() => new Float32Array(length))
  source.channels.forEach((c, i) => copyRange(c, from, from + Math.min(length, body), out[i]!))
  if (!span.joinsEnd) {
    // The last slice: cut short, or followed by nothing.
    const fade = Math.min(Math.round(OPEN_FADE * rate), Math.min(length, body) >> 1)
    fadeOut(out, Math.min(length, body) - fade, fade)
    return out
  }
  // Output sample n of what comes before the next slice is recording sample n + shift.
  const shift = to - length
  // It may begin after this slice's attack, and this slice may last until the next attack.
  const kept = Math.min(Math.round(KEPT * rate), body >> 1, length >> 1)
  const earliest = Math.max(kept, from + kept - shift)
  const latest = Math.min(body, length)
  if (earliest < latest) {
    const room = latest - earliest
    const runUp = body > length ? Math.min(Math.round(RUN_UP * rate), room >> 1) : 0
    const fade = Math.min(Math.round(FADE * rate), room - runUp)
    const x = quietest(source, earliest, latest - runUp - fade + 1, from, shift, fade)
    crossfadeTo(out, x, fade, source.channels, x + shift)
    source.channels.forEach((c, i) => copyRange(c, x + fade + shift, to, out[i]!, x + fade))
    return out
  }
  const fade = Math.min(Math.round(OPEN_FADE * rate), (latest - kept) >> 1)
  fadeOut(out, latest - fade, fade)
  const start = Math.max(latest, earliest)
  const rise = Math.min(Math.round(OPEN_FADE * rate), (length - start) >> 1)
  source.channels.forEach((c, i) => {
    const o = out[i]!
    copyRange(c, start + shift, to, o, start)
    for (let k = 0; k < rise; k++) o[start + k]! *= 0.5 - 0.5 * Math.cos((Math.PI * (k + 0.5)) / rise)
  })
  return out
}
