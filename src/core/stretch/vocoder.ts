// A phase vocoder over one span: frames of the recording set a hop apart, with phases that go on.
import { realFft } from '../dsp/fft'
import { workspace, type Kernels } from '../dsp/kernels/kernels'
import { hann } from '../dsp/windows'
import { bodyGain } from './body-gain'
import { levelKeeper } from './keeper'
import { masking } from './masking'
import type { Readable, Span } from './types'

/** Output hops a window; with a squared Hann window the overlaps then sum to 1.5. */
export const OVERLAP = 4
const OVERLAP_GAIN = 1 / 1.5
/** Share of the window's weight below which what is missing is not made up for: there a head or tail sounds. */
const LEAST_WEIGHT = 0.4

/** Where the parts of a span lie, in output samples from its start. */
export interface Layout {
  readonly size: number
  readonly hop: number
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

/** What a vocoder works in; spectra of all channels lie one after the other. */
interface Room {
  readonly run: Kernels
  readonly window: Float32Array
  /** Of the output frames: the window with the transform's and the overlaps' scale in it. */
  readonly synthesis: Float32Array
  /** Of frames that are the recording itself. */
  readonly squared: Float32Array
  readonly frame: Float32Array
  readonly mask: Float32Array
  /** The window squared, and room for a hop squared. */
  readonly weights: Float32Array
  readonly squares: Float32Array
  readonly ones: Float32Array
  readonly power: Float32Array
  readonly peaks: Float32Array
  readonly spectra: readonly (readonly Float32Array[])[]
  readonly sums: readonly Float32Array[]
  /** Weight of the window in what is being summed. */
  readonly weight: Float32Array
}

function makeRoom(size: number, count: number): Room {
  const { run, floats } = workspace((11 + 4 * count) * size, 15 + 4 * count)
  const made = (values: Float32Array): Float32Array => {
    const x = floats(values.length)
    x.set(values)
    return x
  }
  const window = hann(size)
  const together = (): Float32Array[] => {
    const all = floats(size * count)
    return Array.from(
      { length: count },
      (_, c) => new Float32Array(all.buffer, all.byteOffset + 4 * c * size, size),
    )
  }
  return {
    run,
    window: made(window),
    synthesis: made(window.map((w) => (w * OVERLAP_GAIN) / size)),
    squared: made(window.map((w) => w * w * OVERLAP_GAIN)),
    frame: floats(size),
    mask: floats(size),
    weights: made(window.map((w) => w * w)),
    squares: floats(size / OVERLAP),
    ones: made(new Float32Array(size).fill(1)),
    power: floats(size / 2 + 8),
    peaks: floats(size / 2),
    spectra: [together(), together(), together()],
    sums: Array.from({ length: count }, () => floats(size)),
    weight: floats(size),
  }
}

/** Rooms that no vocoder works in any more, by size and number of channels. */
const free = new Map<string, Room[]>()
const MOST_FREE = 8

/** The vocoder's output from the span's start on, read in order. */
export function vocoder(source: Readable, span: Span, l: Layout): ReadBody {
  const { size, hop } = l
  const { count } = source
  const fft = realFft(size)
  const key = `${size} ${count}`
  const room = free.get(key)?.pop() ?? makeRoom(size, count)
  const { run, window, synthesis, squared, frame, mask, weights, squares, ones, power, peaks, sums, weight } =
    room
  for (const s of [...sums, weight]) s.fill(0)
  let [now, previous] = [room.spectra[0]!, room.spectra[1]!]
  const back = room.spectra[2]!
  const { placeAt, caughtUp } = courseOf(span, l, source.sampleRate)
  const maskFor = masking(span, source.sampleRate, mask)
  const keeper = levelKeeper(OVERLAP)
  const level = bodyGain(source, span, l.head, {
    at: caughtUp,
    place: placeAt(caughtUp),
    reach: size / 2,
  })
  const parts = new Float64Array(OVERLAP)
  /** At the end and at the beginning of the hop that is ready. */
  let [gain, before] = [1, 1]
  // Frames up to the head's end are the recording itself; their centres lie on hops around it.
  const leadFrames = Math.ceil((l.head + size / 2) / hop)
  let center = l.head - leadFrames * hop
  let ready = 0
  let base = center - size / 2

  const read = (c: number, from: number): void => source.read(c, from, from + size, frame.fill(0), 0)
  /** Hops from now on that have a masked frame in them. */
  let partial = 0
  /** Analyses the frame around a place. @returns true when something of it was masked */
  const analyse = (at: number, into: readonly Float32Array[]): boolean => {
    const from = Math.round(at) - size / 2
    const masked = maskFor(from)
    for (let c = 0; c < count; c++) {
      read(c, from)
      if (masked) run.multiply(frame.byteOffset, mask.byteOffset, frame.byteOffset, size)
      run.multiply(frame.byteOffset, window.byteOffset, frame.byteOffset, size)
      fft.forward(frame, into[c]!)
    }
    return masked
  }

  /** Gives the hop that is ready the weight that masks took. */
  const makeUp = (): void => {
    for (let i = 0; i < hop; i++) {
      const gain = 1 / Math.max(LEAST_WEIGHT, weight[i]!)
      for (const s of sums) s[i]! *= gain
    }
  }

  const addFrame = (): void => {
    if (center <= l.head) {
      if (center === l.head) analyse(span.from + l.head, previous)
      for (let c = 0; c < count; c++) {
        read(c, span.from + center - size / 2)
        run.addProduct(frame.byteOffset, squared.byteOffset, sums[c]!.byteOffset, size)
      }
      run.addProduct(squared.byteOffset, ones.byteOffset, weight.byteOffset, size)
      keeper.expect(NaN)
    } else {
      const place = placeAt(center)
      const masked = analyse(place, now)
      if (masked) partial = OVERLAP
      run.addProduct(squared.byteOffset, (masked ? mask : ones).byteOffset, weight.byteOffset, size)
      analyse(place - hop, back)
      run.lockPhases(
        now[0]!.byteOffset,
        back[0]!.byteOffset,
        previous[0]!.byteOffset,
        count,
        size / 2,
        power.byteOffset,
        peaks.byteOffset,
      )
      // A constant offset has no partner of negative frequency.
      const still = now.reduce((sum, x) => sum + 0.5 * x[0]! * x[0]!, 0)
      const total = run.dot(power.byteOffset, ones.byteOffset, size / 2) + still
      // Before the recording there is silence, which says nothing of its level; nor do parts.
      keeper.expect(masked || place < size / 2 ? NaN : (2 * total) / size)
      now.forEach((x, c) => {
        fft.inverseUnscaled(x, frame)
        run.addProduct(frame.byteOffset, synthesis.byteOffset, sums[c]!.byteOffset, size)
      })
      ;[now, previous] = [previous, now]
    }
    center += hop
    ready = hop
    if (partial-- > 0) makeUp()
    before = gain
    parts.fill(0)
    for (const s of sums) {
      run.multiply(s.byteOffset, s.byteOffset, squares.byteOffset, hop)
      for (let j = 0; j < OVERLAP; j++)
        parts[j]! += run.dot(squares.byteOffset, weights.byteOffset + 4 * j * hop, hop)
    }
    gain = keeper.finish(parts)
  }

  const dropHop = (): void => {
    for (const s of [...sums, weight]) {
      s.copyWithin(0, hop)
      s.fill(0, size - hop)
    }
    base += hop
    ready = 0
  }

  // Frames before the first output sample only fill the overlaps.
  addFrame()
  while (base + hop <= 0) {
    dropHop()
    addFrame()
  }
  let taken = -base
  let given = 0
  // What comes after the tail's fade is the recording, so the vocoder is done before the span is.
  const wantedInAll = span.length - l.tail
  return (out, at, wanted) => {
    for (let done = 0; done < wanted;) {
      if (taken >= ready) {
        dropHop()
        addFrame()
        taken = 0
      }
      const n = Math.min(wanted - done, ready - taken)
      for (let c = 0; c < count; c++) {
        const [o, sum] = [out[c]!, sums[c]!]
        if (before === 1 && gain === 1 && level === 1) o.set(sum.subarray(taken, taken + n), at + done)
        else
          for (let i = 0; i < n; i++)
            o[at + done + i] = sum[taken + i]! * level * (before + ((gain - before) * (taken + i)) / hop)
      }
      taken += n
      done += n
    }
    given += wanted
    if (given < wantedInAll) return
    const others = free.get(key) ?? []
    if (others.length < MOST_FREE) free.set(key, [...others, room])
  }
}
