// What a layer of a phase vocoder works in: windows, spectra and sums, made once and used by one layer after the other.
import { workspace, type Kernels } from '../dsp/kernels/kernels'
import { hann } from '../dsp/windows'
import { poolOf } from './pool'
import type { Halves } from './sorting'

/** Output hops a window; with a squared Hann window the overlaps then sum to 1.5. */
export const OVERLAP = 4
const OVERLAP_GAIN = 1 / 1.5
/** By how much the partials of a frame turn. */
export interface Turns {
  count: number
  /** Bins of the partials' peaks, and the bins after those that turn with them. */
  readonly peaks: Int32Array
  readonly ends: Int32Array
  /** A complex number of modulus 1 each. */
  readonly by: Float32Array
  /** How far each glides in a frame, bins, 0 where it does not, and by what it turns further there. */
  readonly glides: Float32Array
}

/** What a layer works in; spectra of all channels lie one after the other. */
export interface Room {
  readonly run: Kernels
  readonly window: Float32Array
  /** Of halves of a frame that fade at both ends. */
  readonly short: Float32Array
  /** The window times the distance from its middle, samples. */
  readonly moment: Float32Array
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
  /** Six numbers for each part; peaks are three bins apart at least. Of what is before and after an attack, and of halves. */
  readonly compared: Float32Array
  readonly halves: Halves
  /** Of turned recording; even for so many samples on either side of its middle. */
  readonly flat: { readonly window: Float32Array; reach: number }
  /** The frame that is added, where some of it is bent. */
  readonly bent: readonly Float32Array[]
  readonly spectra: readonly (readonly Float32Array[])[]
  /** A frame to go back to, and the one at the span's end. */
  readonly kept: readonly Float32Array[]
  readonly ended: readonly Float32Array[]
  readonly sums: readonly Float32Array[]
  /** Weight of the window in what is being summed. */
  readonly weight: Float32Array
}

function makeRoom(size: number, count: number): Room {
  const { run, floats, ints } = workspace((20 + 7 * count) * size, 24 + 6 * count)
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
    short: made(hann(size / 2)),
    moment: made(window.map((w, i) => w * (i - size / 2))),
    synthesis: made(window.map((w) => (w * OVERLAP_GAIN) / size)),
    squared: made(window.map((w) => w * w * OVERLAP_GAIN)),
    frame: floats(size),
    mask: floats(size),
    weights: made(window.map((w) => w * w)),
    squares: floats(size / OVERLAP),
    ones: made(new Float32Array(size).fill(1)),
    power: floats(size / 2 + 8),
    turns: { count: 0, peaks: bins(), ends: bins(), by: floats(size), glides: floats(size) },
    bent: together(),
    compared: floats(size),
    halves: { first: together(), second: together(), compared: floats(size) },
    flat: { window: floats(size), reach: -1 },
    spectra: [together(), together(), together()],
    kept: Array.from({ length: count }, () => new Float32Array(size)),
    ended: Array.from({ length: count }, () => new Float32Array(size)),
    sums: Array.from({ length: count }, () => floats(size)),
    weight: floats(size),
  }
}

const rooms = poolOf<Room>()
const keyOf = (size: number, count: number): string => `${size} ${count}`

/** A room for frames of that size, of so many channels. */
export const takeRoom = (size: number, count: number): Room =>
  rooms.take(keyOf(size, count), () => makeRoom(size, count))

/** The room is free again. */
export const giveRoomBack = (room: Room, size: number, count: number): void =>
  rooms.giveBack(keyOf(size, count), room)

/** Fills a window that is even for `reach` samples on either side of its middle, with a transform's scale in it. */
export function fillFlat(window: Float32Array, reach: number): void {
  const size = window.length
  for (let i = 0; i < size; i++) {
    const out = (Math.abs(i - size / 2) - reach) / (size / 2 - reach)
    window[i] = (out <= 0 ? 1 : Math.cos((Math.PI / 2) * out) ** 2) / size
  }
}
