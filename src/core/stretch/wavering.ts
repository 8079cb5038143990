// Spans in which pitches waver or glide so fast that long frames blur them: a singer's vibrato, higher up.
import { realFft } from '../dsp/fft'
import { workspace, type Kernels } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import { hann } from '../dsp/windows'
import { latest } from '../latest'
import { OVERLAP } from './layer-room'
import { poolOf } from './pool'
import { isAlone, isSteady } from './partials'
import { remembered } from './remembered'
import type { Source, Span } from './types'

/** Frames are looked at this far apart, seconds: no half period of a vibrato of 4 to 7 Hz, which would have them all at its turns. */
const APART = 0.13
/** A short span is looked at once more than this, where its length allows. */
const LEAST_LOOKS = 3
/** A pitch that changes by so many bins within a long frame is blurred. */
const BLURRED = 8
/** Where this share of a band's power is blurred, it wavers: of noise a third of that seems to. */
const SHARE = 0.15
/** Above this what is blurred is soft, Hz. */
const HIGHEST = 8000

interface Room {
  readonly run: Kernels
  readonly frame: Float32Array
  readonly window: Float32Array
  /** Spectra of all channels, one after the other: of a frame, and of the one a hop before it. */
  readonly spectra: readonly [readonly Float32Array[], readonly Float32Array[]]
  readonly power: Float32Array
  readonly peaks: Int32Array
  readonly ends: Int32Array
  readonly turns: Float32Array
  readonly glides: Float32Array
}

function makeRoom(size: number, count: number): Room {
  const { run, floats, ints } = workspace((6 + 2 * count) * size, 12)
  const together = (): Float32Array[] => {
    const all = floats(size * count)
    return Array.from({ length: count }, (_, c) => all.subarray(c * size, (c + 1) * size))
  }
  const bins = (): Int32Array => ints(new Int32Array(size / 2))
  const window = floats(size)
  window.set(hann(size))
  return {
    run,
    frame: floats(size),
    window,
    spectra: [together(), together()],
    power: floats(size / 2 + 8),
    peaks: bins(),
    ends: bins(),
    turns: floats(size),
    glides: floats(size),
  }
}
const rooms = poolOf<Room>()

/** Spectra of all channels of a frame that begins at a sample. */
function transformed(
  { run, frame, window }: Room,
  channels: readonly Float32Array[],
  at: number,
  into: readonly Float32Array[],
): void {
  const size = frame.length
  channels.forEach((x, c) => {
    copyRange(x, at, at + size, frame.fill(0))
    run.multiply(frame.byteOffset, window.byteOffset, frame.byteOffset, size)
    realFft(size).forward(frame, into[c]!)
  })
}

/** Spans that are looked at again, as those after them begin with what rings on out of them. */
const KEPT = 32
const known = remembered(() => latest<string, readonly boolean[]>(KEPT))

/**
 * Tells bands of a span that waver too fast for long frames.
 *
 * @param size of the long frames, samples, a power of two; what wavers is told by frames of half that length
 * @param edges of the bands, Hz, rising; the last band ends at 8 kHz
 * @param alone only what shorter frames still part from its neighbours wavers
 * @returns one for each edge
 */
export const wavers = (
  source: Source,
  span: Span,
  size: number,
  edges: readonly number[],
  alone = false,
): readonly boolean[] =>
  known(source).of(`${span.from} ${span.to} ${size} ${edges.join()} ${alone}`, () =>
    look(source, span, size / 2, edges, alone),
  )

function look(
  { channels, sampleRate }: Source,
  { from, to }: Span,
  size: number,
  edges: readonly number[],
  alone: boolean,
): boolean[] {
  const count = channels.length
  const take = (frames: number): Room => rooms.take(`${frames} ${count}`, () => makeRoom(frames, count))
  const [room, long] = [take(size), take(2 * size)]
  const { run, spectra, power, peaks, glides } = room
  const [now, back] = spectra
  const half = size / 2
  const [all, blurred] = [edges.map(() => 1e-12), edges.map(() => 0)]
  // In frames half as long it changes half as far, by bins twice as wide.
  const least = BLURRED / 4
  const hop = size / OVERLAP
  /** Long frames around the one at a sample, inside the span if they fit. */
  const takeLong = (at: number): void => {
    const place = Math.min(Math.max(at - half, from + 2 * hop), to - 2 * size)
    transformed(long, channels, place, long.spectra[0])
    transformed(long, channels, place - 2 * hop, long.spectra[1])
  }
  const step = Math.max(hop, Math.round(Math.min(APART * sampleRate, (to - from - hop - size) / LEAST_LOOKS)))
  for (let at = from + hop; at + size <= to; at += step) {
    transformed(room, channels, at, now)
    transformed(room, channels, at - hop, back)
    const [a, b, p, t] = [now[0]!, back[0]!, peaks, room.turns].map((x) => x.byteOffset) as [
      number,
      number,
      number,
      number,
    ]
    const found = run.findTurns(a, b, b, count, half, power.byteOffset, p, room.ends.byteOffset, t)
    run.findGlides(a, b, b, count, half, power.byteOffset, p, t, found, 1, glides.byteOffset)
    let isTaken = false
    for (let k = 0; k < found; k++) {
      const hz = (peaks[k]! * sampleRate) / size
      if (hz < edges[0]! || hz >= HIGHEST) continue
      const band = edges.findLastIndex((edge) => hz >= edge)
      const loud = power[peaks[k]!]!
      all[band]! += loud
      if (Math.abs(glides[2 * k]!) <= least) continue
      if (!isTaken) takeLong(at)
      isTaken = true
      // Partials that frames so short do not part beat in them, and seem to glide.
      const bin = 2 * peaks[k]!
      if (!isSteady(...long.spectra, bin) && (!alone || isAlone(long.spectra[0], bin))) blurred[band]! += loud
    }
  }
  rooms.giveBack(`${size} ${count}`, room)
  rooms.giveBack(`${2 * size} ${count}`, long)
  return all.map((v, band) => blurred[band]! > SHARE * v)
}
