// One layer of a phase vocoder: frames of a recording, or of a band of it, with phases that go on, and their overlaps.
import { realFft } from '../dsp/fft'
import { workspace, type Kernels } from '../dsp/kernels/kernels'
import { hann } from '../dsp/windows'
import { levelKeeper } from './keeper'
import { masking } from './masking'
import type { Readable, Span } from './types'

/** Output hops a window; with a squared Hann window the overlaps then sum to 1.5. */
export const OVERLAP = 4
const OVERLAP_GAIN = 1 / 1.5
/** Share of the window's weight below which what is missing is not made up for: there a head or tail sounds. */
const LEAST_WEIGHT = 0.4

/** By how much the partials of a frame turn. */
export interface Turns {
  count: number
  /** Bins of the partials' peaks, and the bins after those that turn with them. */
  readonly peaks: Int32Array
  readonly ends: Int32Array
  /** A complex number of modulus 1 each. */
  readonly by: Float32Array
}

export interface Layer {
  readonly size: number
  readonly hop: number
  readonly turns: Turns
  /** Adds a frame that is the recording itself. @param place recording sample under its centre */
  copy(place: number): void
  /** The next frame goes on from the recording as it is here. */
  begin(place: number): void
  /** Takes the frame around a recording place, and finds by how much its partials turn to go on. */
  analyse(place: number): void
  /** Adds that frame, turned by `turns`. */
  add(): void
  /** Adds the hop that no further frame reaches to `out`, times a gain, and goes on to the next. */
  give(out: readonly Float32Array[], at: number, level: number): void
  /** No frame will be asked for any more. */
  close(): void
}

/** What a layer works in; spectra of all channels lie one after the other. */
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
  readonly turns: Turns
  readonly spectra: readonly (readonly Float32Array[])[]
  readonly sums: readonly Float32Array[]
  /** Weight of the window in what is being summed. */
  readonly weight: Float32Array
}

function makeRoom(size: number, count: number): Room {
  const { run, floats, ints } = workspace((13 + 4 * count) * size, 17 + 4 * count)
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
  const bins = (): Int32Array => ints(new Int32Array(size / 2))
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
    turns: { count: 0, peaks: bins(), ends: bins(), by: floats(size) },
    spectra: [together(), together(), together()],
    sums: Array.from({ length: count }, () => floats(size)),
    weight: floats(size),
  }
}

/** Rooms that no layer works in any more, by size and number of channels. */
const free = new Map<string, Room[]>()
const MOST_FREE = 8

/** Adds `count` samples times a gain that changes evenly. */
function addRamped(
  x: Float32Array,
  start: number,
  rise: number,
  count: number,
  out: Float32Array,
  at: number,
): void {
  for (let i = 0; i < count; i++) out[at + i]! += x[i]! * (start + rise * i)
}

/** Opens a layer over a span. @param size of its frames, a power of two */
export function openLayer(source: Readable, span: Span, size: number): Layer {
  const hop = size / OVERLAP
  const { count } = source
  const fft = realFft(size)
  const key = `${size} ${count}`
  const room = free.get(key)?.pop() ?? makeRoom(size, count)
  const { run, window, synthesis, squared, frame, mask, weights, squares, ones } = room
  const { power, turns, sums, weight } = room
  for (const s of [...sums, weight]) s.fill(0)
  let [now, previous] = [room.spectra[0]!, room.spectra[1]!]
  const back = room.spectra[2]!
  const maskFor = masking(span, source.sampleRate, mask)
  const keeper = levelKeeper(OVERLAP)
  const parts = new Float64Array(OVERLAP)
  /** At the end and at the beginning of the hop that is ready. */
  let [gain, before] = [1, 1]
  /** Hops from now on that have a masked frame in them. */
  let partial = 0

  const read = (c: number, from: number): void => source.read(c, from, from + size, frame.fill(0), 0)
  /** Analyses the frame around a place. @returns true when something of it was masked */
  const take = (at: number, into: readonly Float32Array[]): boolean => {
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

  const finishHop = (): void => {
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

  return {
    size,
    hop,
    turns,
    copy(place) {
      for (let c = 0; c < count; c++) {
        read(c, place - size / 2)
        run.addProduct(frame.byteOffset, squared.byteOffset, sums[c]!.byteOffset, size)
      }
      run.addProduct(squared.byteOffset, ones.byteOffset, weight.byteOffset, size)
      keeper.expect(NaN)
      finishHop()
    },
    begin: (place) => void take(place, previous),
    analyse(place) {
      const masked = take(place, now)
      if (masked) partial = OVERLAP
      run.addProduct(squared.byteOffset, (masked ? mask : ones).byteOffset, weight.byteOffset, size)
      take(place - hop, back)
      turns.count = run.findTurns(
        now[0]!.byteOffset,
        back[0]!.byteOffset,
        previous[0]!.byteOffset,
        count,
        size / 2,
        power.byteOffset,
        turns.peaks.byteOffset,
        turns.ends.byteOffset,
        turns.by.byteOffset,
      )
      // A constant offset has no partner of negative frequency.
      const still = now.reduce((sum, x) => sum + 0.5 * x[0]! * x[0]!, 0)
      const total = run.dot(power.byteOffset, ones.byteOffset, size / 2) + still
      // Before the recording there is silence, which says nothing of its level; nor do parts.
      keeper.expect(masked || place < size / 2 ? NaN : (2 * total) / size)
    },
    add() {
      const { ends, by } = turns
      run.turnBins(now[0]!.byteOffset, count, size / 2, ends.byteOffset, by.byteOffset, turns.count)
      now.forEach((x, c) => {
        fft.inverseUnscaled(x, frame)
        run.addProduct(frame.byteOffset, synthesis.byteOffset, sums[c]!.byteOffset, size)
      })
      ;[now, previous] = [previous, now]
      finishHop()
    },
    give(out, at, level) {
      const [start, rise] = [level * before, (level * (gain - before)) / hop]
      sums.forEach((s, c) => addRamped(s, start, rise, hop, out[c]!, at))
      for (const s of [...sums, weight]) {
        s.copyWithin(0, hop)
        s.fill(0, size - hop)
      }
    },
    close() {
      const others = free.get(key) ?? []
      if (others.length < MOST_FREE) free.set(key, [...others, room])
    },
  }
}
