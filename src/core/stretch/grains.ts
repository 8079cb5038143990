// Grains: short pieces of the recording, each a little off its place by chance, faded into one another.
import { randomFrom } from '../dsp/random'
import { copyRange } from '../dsp/signal'
import { crossfadeTo } from './joins'
import type { Method, Source, Span, StretchSettings } from './types'

/** Grains after an attack do not reach back to it, seconds. */
const CLEAR = 0.005
/** Share of the way from one grain to the next over which smooth sounds fade. */
const FADE = 0.35
/** What is mixed loses its grit: gritty sounds fade over this many times less for every unit of excess kurtosis. */
const GRIT = 4
const LEAST_FADE = 0.04
/** Excess kurtosis from which on grains change where it is quiet, between drops and claps. */
const GRITTY = 0.5
/** Places for that are tried every so many samples. */
const STEP = 16
/** Energy that is owed weighs so much against energy that is faded. */
const BALANCE = 0.1

/** Where the grains of a span lie: grain k is centred at output `out[k]` and at recording `places[k]`. */
interface Grains {
  readonly out: readonly number[]
  readonly places: readonly number[]
}

function grainsOf(source: Source, span: Span, settings: StretchSettings): Grains {
  const { from, to, length } = span
  const hop = Math.max(32, Math.round((settings.size / 2000) * source.sampleRate))
  const count = Math.max(1, Math.round(length / hop))
  const random = randomFrom((span.origin ?? 0) + to)
  const reach = Math.ceil(length / count)
  const clear = Math.round(CLEAR * source.sampleRate)
  // Nor do grains reach out of the recording, which may begin or end in the middle of a sound.
  const end = source.channels[0]!.length
  const least = Math.max(span.attackAtStart ? from + reach + clear : from, Math.min(reach, to))
  const most = Math.min(span.attackAtEnd ? to - reach : to, Math.max(end - reach, from))
  const scatter = (settings.scatter / 100) * hop * 2
  const out: number[] = []
  const places: number[] = []
  for (let k = 0; k <= count; k++) {
    const at = Math.round((k * length) / count)
    out.push(at)
    const place = from + (span.share?.(at) ?? at / length) * (to - from)
    const off = (2 * random() - 1) * scatter
    // The first and the last grain are the recording where it goes on outside.
    if (k === 0) places.push(from)
    else if (k === count) places.push(to)
    else places.push(Math.round(least < most ? Math.min(most, Math.max(least, place + off)) : place))
  }
  return { out, places }
}

/** Kurtosis of a range less 3, so that 0 is noise without grit; all channels together. */
function excessKurtosis(source: Source, from: number, to: number): number {
  let [fourth, squared] = [0, 1e-20]
  for (const c of source.channels) {
    let [m2, m4] = [0, 0]
    const [first, end] = [Math.max(0, from), Math.min(c.length, to)]
    for (let i = first; i < end; i++) {
      const p = c[i]! * c[i]!
      m2 += p
      m4 += p * p
    }
    fourth += m4 * (end - first)
    squared += m2 * m2
  }
  return fourth / squared - 3
}

/** Running sums of the energy of a range, all channels together, from 0 on. */
function energiesOf(source: Source, from: number, to: number): Float64Array {
  const sums = new Float64Array(to - from + 1)
  for (let i = from; i < to; i++) {
    let power = 0
    for (const c of source.channels) power += (c[i] ?? 0) ** 2
    sums[i - from + 1] = sums[i - from]! + power
  }
  return sums
}

/** Where grains change over, as they follow one another. */
interface Changes {
  /** A crossfade from what is read at `outgoing` on to what is read at `incoming` on, within so many samples. */
  next(width: number, outgoing: number, incoming: number): { readonly at: number; readonly fade: number }
}

/**
 * Grains of grit change where it is quiet. What is heard twice or left out between them would then always be quieter
 * than the whole, and the output louder or softer; so what it lacked so far counts as much as quiet.
 */
function changesOf(source: Source): Changes {
  /** Energy of what was heard twice, less that of what was left out, beyond what as much of the whole would have had. */
  let owed = 0
  return {
    next(width, outgoing, incoming) {
      const half = width >> 1
      const grit = Math.max(
        0,
        excessKurtosis(source, outgoing - half, outgoing + width + half),
        excessKurtosis(source, incoming - half, incoming + width + half),
      )
      const fade = Math.max(1, Math.round(Math.max(LEAST_FADE, FADE / (1 + GRIT * grit)) * width))
      if (grit < GRITTY) return { at: (width - fade) >> 1, fade }
      const from = Math.min(outgoing, incoming)
      const sums = energiesOf(source, from, Math.max(outgoing, incoming) + width)
      const energy = (a: number, b: number): number => sums[b - from]! - sums[a - from]!
      const whole = sums[sums.length - 1]!
      const usual = whole / (sums.length - 1)
      /** What is heard twice when one takes over from the other, or, as a negative, what is left out. */
      const extra = (at: number): number => {
        const middle = at + (fade >> 1)
        return (
          energy(from, outgoing + middle) - energy(from, incoming + middle) - (outgoing - incoming) * usual
        )
      }
      let best = { at: 0, score: Infinity }
      for (let at = 0; at <= width - fade; at += STEP) {
        const loud = energy(outgoing + at, outgoing + at + fade) + energy(incoming + at, incoming + at + fade)
        const score = loud + BALANCE * Math.abs(owed + extra(at))
        if (score < best.score) best = { at, score }
      }
      owed += extra(best.at)
      return { at: best.at, fade }
    },
  }
}

/**
 * Renders a span as grains of `size` that follow one another by half their size, each read up to `scatter` of its size away from its place.
 * Two neighbours fade into each other with gains for what they have in common, so the level neither dips nor swells.
 * Chance is drawn from the place of the span's end in the recording, so results repeat.
 *
 * Sources: C. Roads, "Microsound", MIT Press 2001, chapter 3 (granulation with scattered time); joins.ts for the gains.
 */
export const grains: Method = (source, span, settings) => {
  const g = grainsOf(source, span, settings)
  const changes = changesOf(source)
  let position = 0
  let k = -1
  let piece: Float32Array[] = []
  return {
    pull(out, at, count) {
      for (let done = 0; done < count;) {
        if (k < 0 || position >= g.out[k + 1]!) {
          do k++
          while (position >= g.out[k + 1]!)
          const width = g.out[k + 1]! - g.out[k]!
          const next = g.places[k + 1]! - width
          const { at: middle, fade } = changes.next(width, g.places[k]!, next)
          piece = source.channels.map((c) =>
            copyRange(c, g.places[k]!, g.places[k]! + middle + fade, new Float32Array(width)),
          )
          crossfadeTo(piece, middle, fade, source.channels, next + middle)
          source.channels.forEach((c, i) =>
            copyRange(c, next + middle + fade, next + width, piece[i]!, middle + fade),
          )
        }
        const inside = position - g.out[k]!
        const n = Math.min(count - done, g.out[k + 1]! - position)
        piece.forEach((x, c) => out[c]!.set(x.subarray(inside, inside + n), at + done))
        position += n
        done += n
      }
    },
  }
}
