// A phase vocoder over one span: frames of the recording set a hop apart, with phases that go on.
import { bodyGain } from './body-gain'
import { openLayer, type Layer, type Turned } from './layer'
import { OVERLAP } from './layer-room'
import { openMixer } from './mixer'
import { tonesOf, turnedTowards } from './ringing'
import { Part } from './sorting'
import type { Tones } from './tones'
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

/** A body is where the map has it again after this long at least, seconds, and is read slower for it by half at most. */
const CATCH_UP = 0.012
const SLOWEST = 2

/** Before a span's end, what does not ring on with the phases it has comes back to the recording's for so long, seconds. */
const SETTLING = 0.3

/** What is so few frames long is told frame by frame. */
const EACH = 2

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

/** What is known of a body's ends. */
export interface Ends {
  /** How what rings on from the span before is turned. */
  readonly start?: Turned | undefined
  /** How what rings on into the span after it is to be turned there, if that is told. */
  readonly end?: Turned | undefined
  /** Of the recording at the span's end, by longer frames. */
  readonly tones?: Tones | undefined
}

export interface Body {
  /** Writes the next samples, in order. */
  readonly read: (out: readonly Float32Array[], at: number, count: number) => void
  /** How what rings on through the span's end is turned there, once all of the body is read; undefined when nothing does. */
  readonly ending: () => Turned | undefined
}

/**
 * The vocoder's output from the span's start on, read in order: the sum of its bands.
 *
 * The frames of all bands lie around the same places, those of the longest at every second, fourth … of the shorter
 * ones'; a partial that sounds in two of them goes on alike in both.
 *
 * @param bands one, or two, that of the longer frames first
 * @param cutoff where two bands part, Hz
 */
export function vocoder(
  bands: readonly Band[],
  cutoff: number,
  span: Span,
  l: Layout,
  { start, end, tones }: Ends = {},
): Body {
  const { sampleRate, count } = bands[0]!.source
  const layers = bands.map((b) => openLayer(b.source, span, b.size, tones))
  const { size, hop } = layers[0]!
  const { placeAt, caughtUp } = courseOf(span, l, sampleRate)
  const levels = bands.map((b) =>
    bodyGain(b.source, span, l.head, { at: caughtUp, place: placeAt(caughtUp), reach: b.size / 2 }),
  )
  const paceAt = (at: number, hop: number): number => (placeAt(at + hop / 2) - placeAt(at - hop / 2)) / hop
  // Frames up to the head's end are the recording itself; their centres lie on hops around it.
  const leadFrames = Math.ceil((l.head + size / 2) / hop)
  let center = l.head - leadFrames * hop
  /** Finished samples, and behind them those that shorter frames have finished sooner. */
  const shortest = Math.min(...bands.map((b) => b.size))
  const mix = openMixer((size - shortest) / 2 + 2 * hop, count)
  let base = center - size / 2

  /** Output sample of every layer's last frame. */
  const last = layers.map(() => 0)
  const least = shortest / OVERLAP
  const layersAt = (at: number): Layer[] => layers.filter((layer) => (at - l.head) % layer.hop === 0)
  const agree = (some: readonly Layer[]): void => {
    if (some.length === 2) followEachOther(some[0]!, some[1]!, cutoff, sampleRate)
  }
  const goesOn = (part: number): boolean => span.ringsOn !== undefined && part === Part.SAME
  const settles = (part: number): boolean => part !== Part.RAISED && !goesOn(part)
  let ends: readonly Uint8Array[] | undefined
  /** Finds how what sounds is turned at the span's end. */
  const meetEnd = (): void => {
    layers.forEach((layer, i) => layer.meet(span.to, span.length - last[i]!))
    agree(layers)
  }
  /** Of some parts of the spectrum, what was met. */
  const met = (wanted: (part: number) => boolean): Turned =>
    together(
      layers.map((layer, i) => layer.met((p) => wanted(ends![i]![p]!))),
      (cutoff * size) / sampleRate,
    )

  /** Where what rings on is to be at the end, or turns towards. */
  const wanted = (): Turned | undefined =>
    span.toward
      ? turnedTowards(tones ?? tonesOf(layers[0]!, ends![0]!, span.to, sampleRate), span.toward, sampleRate)
      : end

  /** What is not to be turned at the end as it would, told before it sounds, in a few long steps: the way back from that. */
  const foresee = (from: number, back: Turned | undefined): WayBack => {
    const before = [...last]
    for (const layer of layers) layer.lookAhead()
    const pass = (some: readonly Layer[], at: number): void => {
      for (const layer of some) {
        const i = layers.indexOf(layer)
        layer.meet(placeAt(at), at - last[i]!)
        last[i] = at
      }
      agree(some)
      for (const layer of some) layer.pass()
    }
    const left = span.length - from
    const steps = Math.ceil(left / size)
    // In a few frames sounds may begin, so these are passed one by one.
    if (left <= EACH * size) for (let at = from; at < span.length; at += least) pass(layersAt(at), at)
    else for (let k = 1; k < steps; k++) pass(layers, Math.round(from + (left * k) / steps))
    meetEnd()
    const { toward } = span
    const settling = toward && anglesOf(met(settles))
    if (back) for (const layer of layers) layer.turnFurther(inverse(back))
    const away = met(toward ? goesOn : settles)
    const angles = anglesOf(away)
    if (toward) angles.forEach((angle, p) => (angles[p] = toward.share * angle + settling![p]!))
    for (const layer of layers) layer.goBack()
    before.forEach((at, i) => (last[i] = at))
    return wayBack(away, angles)
  }
  const settling = span.joinsEnd ? Math.max(l.head, span.length - SETTLING * sampleRate) : Infinity
  let settled: WayBack | undefined
  let settledFrom = 0
  let ending: Turned | undefined
  const beginSettling = (at: number): void => {
    ends = layers.map((layer) => layer.sort(span.to))
    settledFrom = Math.max(...last)
    const end = wanted()
    if (ends.some((parts) => parts.some(settles)) || (span.toward && end!.by.some((v) => v !== 0)))
      settled = foresee(at, end)
  }

  /** Adds the frames of some layers around one output sample. */
  const addFrames = (some: readonly Layer[], at: number): void => {
    if (at > settling && !ends) beginSettling(at)
    if (at >= span.length && !ending && ends?.some((parts) => parts.some(goesOn))) {
      meetEnd()
      ending = met(goesOn)
    }
    if (at > l.head) {
      for (const layer of some) layer.analyse(placeAt(at), paceAt(at, layer.hop))
      agree(some)
    }
    for (const layer of some) {
      if (at > l.head) {
        const step = Math.min(span.length, at) - Math.max(settledFrom, at - layer.hop)
        if (settled && step > 0) layer.turnFurther(settled(step / (span.length - settledFrom)))
        layer.add()
      } else {
        if (at === l.head) layer.begin(span.from + at, start)
        // What is before the fade out of the head is not heard.
        const heard = at + layer.size / 2 > l.head - l.headFade
        layer.copy(span.from + at, heard ? start : undefined)
      }
      const i = layers.indexOf(layer)
      last[i] = at
      layer.give(mix, at - layer.size / 2 - base, levels[i]!)
    }
  }

  /** Adds all frames up to `center`, which finish the first hop of the sums. */
  const finishHop = (): void => {
    for (let at = center - hop + least; at <= center; at += least) addFrames(layersAt(at), at)
    center += hop
  }

  const dropHop = (): void => {
    mix.drop(hop)
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
  let closed = false
  // What comes after the tail's fade is the recording, so the vocoder is done before the span is.
  const wantedInAll = span.length - l.tail
  const read: Body['read'] = (out, at, wanted) => {
    for (let done = 0; done < wanted;) {
      if (taken >= hop) {
        dropHop()
        finishHop()
        taken = 0
      }
      const n = Math.min(wanted - done, hop - taken)
      for (let c = 0; c < count; c++) out[c]!.set(mix.sums[c]!.subarray(taken, taken + n), at + done)
      taken += n
      done += n
    }
    given += wanted
    if (given < wantedInAll || closed) return
    closed = true
    mix.close()
    for (const layer of layers.splice(0)) layer.close()
  }
  return { read, ending: () => ending }
}

/** The way back from what is turned: a share of it, 0-1, as turns. */
type WayBack = (share: number) => Turned

const inverse = (turned: Turned): Turned => ({
  ...turned,
  by: turned.by.map((v, i) => (i & 1 ? -v : v)),
})

/** Angles of turns, radians; 0 of a turn of 0. */
function anglesOf({ by }: Turned): Float32Array {
  const angles = new Float32Array(by.length / 2)
  // Most are not turned at all.
  for (let p = 0; p < angles.length; p++)
    if (by[2 * p + 1] !== 0) angles[p] = Math.atan2(by[2 * p + 1]!, by[2 * p]!)
  return angles
}

/** The way back from parts of a spectrum that are turned by angles. */
function wayBack({ size, ends }: Turned, angles: Float32Array): WayBack {
  let made: { readonly share: number; readonly turned: Turned } | undefined
  return (share) => {
    if (made?.share !== share) {
      const back = new Float32Array(2 * angles.length)
      for (let p = 0; p < angles.length; p++) {
        back[2 * p] = 1
        if (angles[p] === 0) continue
        back[2 * p] = Math.cos(share * angles[p]!)
        back[2 * p + 1] = -Math.sin(share * angles[p]!)
      }
      made = { share, turned: { size, ends, by: back } }
    }
    return made.turned
  }
}

/** What bands' parts turn by, those of the low one below where they part; @param parting in its bins */
function together([low, high]: readonly Turned[], parting: number): Turned {
  if (!high) return low!
  const longer = low!.size / high.size
  const ends: number[] = []
  const by: number[] = []
  const take = (t: Turned, p: number, end: number): void => {
    ends.push(end)
    by.push(t.by[2 * p]!, t.by[2 * p + 1]!)
  }
  low!.ends.forEach((end, p) => {
    if ((low!.ends[p - 1] ?? 0) < parting) take(low!, p, Math.min(end, parting))
  })
  high.ends.forEach((end, p) => {
    if (end * longer > parting) take(high, p, end * longer)
  })
  return { size: low!.size, ends: Float32Array.from(ends), by: Float32Array.from(by) }
}
