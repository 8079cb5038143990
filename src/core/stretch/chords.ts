// Chords: a phase vocoder between attacks; the attacks themselves are the recording's own samples.
import { realFft } from '../dsp/fft'
import { copyRange } from '../dsp/signal'
import { workspace, type Kernels } from '../dsp/kernels/kernels'
import { hann } from '../dsp/windows'
import { hits } from './hits'
import { crossfadeTo } from './joins'
import { levelKeeper } from './keeper'
import { masking } from './masking'
import type { Method, Quality, Readable, Source, Span, StretchSettings, Voice } from './types'

/** A recording as it is. */
const plain = ({ sampleRate, channels }: Source): Readable => ({
  sampleRate,
  count: channels.length,
  read: (c, from, to, out, at) => void copyRange(channels[c]!, from, to, out, at),
})

/** Samples [from, to) of all channels. */
function rangeOf(source: Readable, from: number, to: number): Float32Array[] {
  return Array.from({ length: source.count }, (_, c) => {
    const x = new Float32Array(to - from)
    source.read(c, from, to, x, 0)
    return x
  })
}

/** Window, seconds: long enough to part the lowest partials of a guitar. */
const WINDOW: Record<Quality, number> = { fine: 0.066, draft: 0.033 }
const LEAST_WINDOW = 256
/** Output hops a window; with a squared Hann window the overlaps then sum to 1.5. */
const OVERLAP = 4
const OVERLAP_GAIN = 1 / 1.5

/** Verbatim recording after an attack, the crossfade at its end included, ms: as long as a quick strum. */
const HEAD = 24
const HEAD_FADE = 4
/** Share of the window's weight below which what is missing is not made up for: there a head or tail sounds. */
const LEAST_WEIGHT = 0.4

/** Where the parts of a span lie, in output samples from its start. */
interface Layout {
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

function layoutOf(source: Readable, span: Span, seconds: number): Layout | undefined {
  const shortest = Math.min(span.length, span.to - span.from)
  let size = 2 ** Math.round(Math.log2(seconds * source.sampleRate))
  while (size > shortest / 1.5 && size > LEAST_WINDOW) size /= 2
  if (size > shortest / 1.5) return undefined
  const hop = size / OVERLAP
  const ms = source.sampleRate / 1000
  const head = span.attackAtStart ? Math.min(size / 2, Math.round(HEAD * ms)) : span.joinsStart ? hop : 0
  const headFade = Math.min(head, span.attackAtStart ? Math.round(HEAD_FADE * ms) : hop)
  const tail = span.attackAtEnd && span.joinsEnd ? Math.min(Math.round(1.5 * ms), hop >> 1) : 0
  const tailFade = !span.joinsEnd ? 0 : span.attackAtEnd ? Math.min(Math.round(4 * ms), hop) : size / 4
  return { size, hop, head, headFade, tailFade, tail }
}

/** Recording place under the centre of an output frame: linear over the body, and beyond its end. */
function analysisPlace(span: Span, l: Layout, center: number): number {
  const from = span.from + l.head
  const even = (center - l.head) / (span.length - l.head)
  const share = even < 1 && span.share
  const x = share ? (share(center) - share(l.head)) / (share(span.length) - share(l.head)) : even
  return from + x * (span.to - from)
}

/**
 * Renders a span with a phase vocoder.
 *
 * The first milliseconds of the attack at its start are copied; then frames go on in phase from it, which read nothing
 * of that attack and nothing of the next. Every frame's phases advance by what the recording's phases advance over one
 * output hop at that place, so the map may change its slope anywhere. The end fades into the recording before the next
 * knot.
 *
 * Source: J. Laroche & M. Dolson, IEEE Trans. SAP 7(3), 1999 (phases: dsp/kernels/assembly/phases.ts); attacks kept apart as in C. Duxbury, M. Davies &
 * M. Sandler, "Improved time-scaling of musical audio using phase locking at transients", AES 112th Conv., 2002.
 */
export const chords: Method = (source, span, settings) =>
  vocoded(plain(source), span, settings, WINDOW[settings.quality])

/** The same with a window of a given length. @param seconds rounded to a power of two samples */
export function vocoded(source: Readable, span: Span, settings: StretchSettings, seconds: number): Voice {
  const layout = layoutOf(source, span, seconds)
  if (layout) return chordsVoice(source, span, layout)
  // Too short for a window: so short that it can be read as a whole.
  const { sampleRate } = source
  const margin = Math.round(0.01 * sampleRate)
  const channels = rangeOf(source, span.from - margin, span.to + margin)
  const inside = { ...span, from: margin, to: margin + span.to - span.from }
  return hits({ sampleRate, channels }, inside, { ...settings, fill: 'mirror', tail: 100 })
}

function chordsVoice(source: Readable, span: Span, l: Layout): Voice {
  const channelCount = source.count
  const body = vocoder(source, span, l)
  const planar = (n: number) => Array.from({ length: channelCount }, () => new Float32Array(n))
  const tailStart = span.length - l.tail - l.tailFade
  let position = 0
  let ending: Float32Array[] | undefined

  /** The head: verbatim, fading into the body at its end. */
  const readHead = (out: readonly Float32Array[], at: number, count: number): void => {
    const stretched = planar(count)
    body(stretched, 0, count)
    const copied = rangeOf(source, span.from + position, span.from + position + count)
    for (let i = 0; i < count; i++) {
      // In phase by construction, so gains that sum to one.
      const x = Math.min(1, Math.max(0, (position + i - (l.head - l.headFade) + 0.5) / l.headFade))
      for (let c = 0; c < channelCount; c++)
        out[c]![at + i] = x === 0 ? copied[c]![i]! : (1 - x) * copied[c]![i]! + x * stretched[c]![i]!
    }
  }

  /** Everything from `tailStart` on, made at once since the fade's gains depend on all of it. */
  const makeEnding = (): Float32Array[] => {
    const out = planar(l.tailFade + l.tail)
    body(out, 0, l.tailFade)
    const recorded = rangeOf(source, span.to - l.tail - l.tailFade, span.to)
    crossfadeTo(out, 0, l.tailFade, recorded, 0)
    recorded.forEach((x, c) => out[c]!.set(x.subarray(l.tailFade), l.tailFade))
    return out
  }

  return {
    pull(out, at, count) {
      for (let done = 0; done < count;) {
        const left = count - done
        if (position < l.head) {
          const n = Math.min(left, l.head - position)
          readHead(out, at + done, n)
          position += n
          done += n
        } else if (position < tailStart) {
          const n = Math.min(left, tailStart - position)
          body(out, at + done, n)
          position += n
          done += n
        } else {
          ending ??= makeEnding()
          const from = position - tailStart
          ending.forEach((x, c) => out[c]!.set(x.subarray(from, from + left), at + done))
          position += left
          done += left
        }
      }
    },
  }
}

type ReadBody = (out: readonly Float32Array[], at: number, count: number) => void

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
function vocoder(source: Readable, span: Span, l: Layout): ReadBody {
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
  const maskFor = masking(span, source.sampleRate, mask)
  const keeper = levelKeeper(OVERLAP)
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
      const place = analysisPlace(span, l, center)
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
      const total = run.dot(power.byteOffset, ones.byteOffset, size / 2)
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
        if (before === 1 && gain === 1) o.set(sum.subarray(taken, taken + n), at + done)
        else
          for (let i = 0; i < n; i++)
            o[at + done + i] = sum[taken + i]! * (before + ((gain - before) * (taken + i)) / hop)
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
