// Periods of a voice cut out without breaking its tract's resonances: of what linear prediction leaves, sounded through it after.
import { workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import { periodShape, REACH } from './period-shape'
import { tractFinder } from './tract-finder'

/** The tract rings on for this long after a period, seconds, the latter half of it fading. */
const RING = 0.02
/** A tract is found anew after so long, seconds; it is that of 20 ms and more, and changes little from one period to the next. */
const EVERY = 0.007
/** Silence around a period, for reading between its samples. */
const PAD = 64

/** Cuts out one period after the other; what it gives changes with the next. */
export interface PeriodCutter {
  /**
   * The period, of every channel, with silence around it.
   *
   * Index `middle` is the place it was cut out around, and `length` samples from index `from` on are all of it.
   */
  readonly channels: readonly Float32Array[]
  readonly middle: number
  readonly from: number
  readonly length: number
  /**
   * Cuts out what sounds around a place, fading to the places of its neighbours.
   *
   * @param channels planar samples; @param place index, fractional; @param left, right distances of the neighbours
   * @param ratio by which it will be set down more often than it came
   * @param since distance from the place that was cut out before, samples, in the same sound: its tract may do once more
   */
  cut(
    channels: readonly Float32Array[],
    place: number,
    left: number,
    right: number,
    ratio: number,
    since?: number,
  ): void
  /** What is cut out next has nothing to do with what came before. */
  begin(): void
  /** Mean power of the recording between the neighbours, all channels together. */
  readonly power: number
  /** Mean power of the period repeated every so many samples, all channels together. */
  powerEvery(distance: number): number
}

/** Longest that a period's cut may be, samples, for neighbours at most `longest` away. */
export const cutLength = (rate: number, longest: number): number =>
  Math.ceil(2 * REACH * longest + RING * rate) + 2 + 2 * PAD

/**
 * Opens a cutter.
 *
 * @param rate Hz; @param count channels; @param longest distance of a neighbour, samples
 */
export function periodCutter(rate: number, count: number, longest: number): PeriodCutter {
  const tract = tractFinder(rate, count, longest)
  const most = tract.order
  let order = most
  const cutAround = Math.ceil(2 * REACH * longest) + 2
  const ring = Math.ceil(RING * rate)
  const size = cutLength(rate, longest)
  const { run, floats, doubles } = workspace(
    (2 + 3 * count) * size + (8 + 2 * count) * most + 64,
    3 + 2 * count,
  )
  const input = floats(cutAround + most + 8)
  const [a, turned] = [doubles(most + 1), doubles(most)]
  const pulses = Array.from({ length: count }, () => doubles(most + size))
  const shape = periodShape(count, cutAround)
  const channels = Array.from({ length: count }, () => floats(size))
  const fade = Float32Array.from(
    { length: ring >> 1 },
    (_, i) => 0.5 - 0.5 * Math.cos((Math.PI * i) / (ring >> 1)),
  )
  let [middle, length, heard] = [0, 0, 0]
  /** Samples since the tract was found. */
  let gone = NaN
  /** What the prediction leaves of a frequency, as a factor. @param turn radians a sample */
  const leftOf = (turn: number): number => {
    let [re, im] = [0, 0]
    for (let k = 0; k <= order; k++) {
      re += a[k]! * Math.cos(k * turn)
      im += a[k]! * Math.sin(k * turn)
    }
    return Math.hypot(re, im)
  }

  return {
    channels,
    begin() {
      shape.begin()
      gone = NaN
    },
    from: PAD,
    get middle() {
      return middle
    },
    get length() {
      return length
    },
    get power() {
      return heard
    },
    cut(voice, place, left, right, ratio, since = Infinity) {
      gone += since
      if (!(gone < EVERY * rate)) {
        const found = tract.find(voice, place, (left + right) / 2)
        order = found.length - 1
        a.fill(0).set(found)
        for (let k = 1; k <= order; k++) turned[order - k] = a[k]!
        gone = 0
      }
      const from = Math.ceil(place - REACH * left)
      const n = Math.floor(place + REACH * right) - from + 1
      length = n + ring
      middle = PAD + place - from
      const [whole, near] = [Math.round(left + right), order + Math.round(middle - PAD - left)]
      heard = 0
      const bodies = pulses.map((pulse, c) => {
        copyRange(voice[c]!, from - order, from + n, input.fill(0))
        heard += run.energy(input.byteOffset + 4 * near, whole) / whole
        pulse.fill(0)
        run.predictionError(
          input.byteOffset + 4 * order,
          a.byteOffset,
          order,
          pulse.byteOffset + 8 * order,
          n,
        )
        // It is written in pairs.
        pulse[order + n] = 0
        return pulse.subarray(order, order + n)
      })
      // A source falls by 6 dB an octave, so a harmonic below the first is so much stronger. The recording tells nothing of
      // the tract at 0 Hz: it is not taken to be louder there than at the first harmonic.
      const trusted = (): number => Math.min(1, leftOf(0) / leftOf((4 * Math.PI) / (left + right)))
      shape.shape(
        bodies,
        { at: place - from, left, right, length: n },
        ratio < 1 ? trusted() / ratio : 0,
        ratio,
      )
      pulses.forEach((pulse, c) => {
        run.undoPrediction(pulse.byteOffset + 8 * order, turned.byteOffset, order, length)
        const out = channels[c]!.fill(0)
        out.set(pulse.subarray(order, order + length), PAD)
        for (let i = 0; i < fade.length; i++) out[PAD + length - 1 - i]! *= fade[i]!
      })
    },
    powerEvery(distance) {
      let power = 0
      for (const x of channels)
        for (let m = 0, lag = 0; lag < length; lag = Math.round(++m * distance)) {
          const at = x.byteOffset + 4 * PAD
          // What lies after the period is silence.
          const product = run.dot(at, at + 4 * lag, length - lag)
          power += m ? 2 * product : product
        }
      return Math.max(0, power / distance)
    },
  }
}
