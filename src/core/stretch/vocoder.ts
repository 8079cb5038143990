// A phase vocoder over one span: frames of the recording set a hop apart, with phases that go on.
import { bodyGain } from './body-gain'
import { openLayer, type Layer } from './layer'
import { followEachOther } from './turns'
import type { Readable, Span } from './types'

/** A band of the recording and the length of its frames, a power of two. */
export interface Band {
  readonly source: Readable
  readonly size: number
}

/** Where the parts of a span lie, in output samples from its start. */
export interface Layout {
  /** Verbatim recording before the stretched body. */
  readonly head: number
  /** Crossfade from head to body, ending where the head ends. */
  readonly headFade: number
  /** Crossfade from body to the recording before `to`, and verbatim recording after it. */
  readonly tailFade: number
  readonly tail: number
}

/** A body is where the map has it again after this long at least, seconds, and is read slower for it by a third at most. */
const CATCH_UP = 0.023
const SLOWEST = 3

/** Which recording places a body reads. */
interface Course {
  /** Recording place under the centre of an output frame. */
  readonly placeAt: (center: number) => number
  /** Output sample from which on these are the map's. */
  readonly caughtUp: number
}

/**
 * The course of a body. The head is read at its own speed, so the body begins ahead of its place, or behind it, and comes
 * back to where the map has it.
 *
 * @param rate samples per second
 */
function courseOf(span: Span, l: Layout, rate: number): Course {
  const { from, to, length, share } = span
  const step = (to - from) / length
  const mapped = (n: number): number => (share && n < length ? share(n) * (to - from) : n * step)
  const away = l.head - mapped(l.head)
  const back = Math.min(length - l.head, Math.max(CATCH_UP * rate, (SLOWEST * Math.abs(away)) / step))
  return {
    placeAt: (center) => from + mapped(center) + away * Math.max(0, 1 - (center - l.head) / back),
    caughtUp: l.head + back,
  }
}

export type ReadBody = (out: readonly Float32Array[], at: number, count: number) => void

/**
 * The vocoder's output from the span's start on, read in order: the sum of its bands.
 *
 * The frames of all bands lie around the same places, those of the longest at every second, fourth … of the shorter
 * ones'; a partial that sounds in two of them goes on alike in both.
 *
 * @param bands one, or two, that of the longer frames first
 * @param cutoff where two bands part, Hz
 */
export function vocoder(bands: readonly Band[], cutoff: number, span: Span, l: Layout): ReadBody {
  const { sampleRate, count } = bands[0]!.source
  const layers = bands.map((b) => openLayer(b.source, span, b.size))
  const { size, hop } = layers[0]!
  const { placeAt, caughtUp } = courseOf(span, l, sampleRate)
  const levels = bands.map((b) =>
    bodyGain(b.source, span, l.head, { at: caughtUp, place: placeAt(caughtUp), reach: b.size / 2 }),
  )
  // Frames up to the head's end are the recording itself; their centres lie on hops around it.
  const leadFrames = Math.ceil((l.head + size / 2) / hop)
  let center = l.head - leadFrames * hop
  /** Finished samples, and behind them those that shorter frames have finished sooner. */
  const shortest = Math.min(...bands.map((b) => b.size))
  const sums = Array.from({ length: count }, () => new Float32Array((size - shortest) / 2 + 2 * hop))
  let base = center - size / 2

  /** Adds the frames of some layers around one output sample. */
  const addFrames = (some: readonly Layer[], at: number): void => {
    if (at > l.head) {
      for (const layer of some) layer.analyse(placeAt(at))
      if (some.length === 2) followEachOther(some[0]!, some[1]!, cutoff, sampleRate)
    }
    for (const layer of some) {
      if (at > l.head) layer.add()
      else {
        if (at === l.head) layer.begin(span.from + at)
        layer.copy(span.from + at)
      }
      layer.give(sums, at - layer.size / 2 - base, levels[layers.indexOf(layer)]!)
    }
  }

  /** Adds all frames up to `center`, which finish the first hop of the sums. */
  const finishHop = (): void => {
    const least = shortest / size
    for (let at = center - hop + least * hop; at <= center; at += least * hop)
      addFrames(
        layers.filter((layer) => (center - at) % layer.hop === 0),
        at,
      )
    center += hop
  }

  const dropHop = (): void => {
    for (const s of sums) {
      s.copyWithin(0, hop)
      s.fill(0, s.length - hop)
    }
    base += hop
  }

  // Frames before the first output sample only fill the overlaps.
  finishHop()
  while (base + hop <= 0) {
    dropHop()
    finishHop()
  }
  let taken = -base
  let given = 0
  // What comes after the tail's fade is the recording, so the vocoder is done before the span is.
  const wantedInAll = span.length - l.tail
  return (out, at, wanted) => {
    for (let done = 0; done < wanted;) {
      if (taken >= hop) {
        dropHop()
        finishHop()
        taken = 0
      }
      const n = Math.min(wanted - done, hop - taken)
      for (let c = 0; c < count; c++) out[c]!.set(sums[c]!.subarray(taken, taken + n), at + done)
      taken += n
      done += n
    }
    given += wanted
    if (given >= wantedInAll) for (const layer of layers.splice(0)) layer.close()
  }
}
