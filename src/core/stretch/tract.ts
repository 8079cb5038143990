// Periods of a voice cut out without breaking its tract's resonances: of what linear prediction leaves, sounded through it after.
import { workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import { tractFinder } from './tract-finder'

/** The tract rings on for this long after a period, seconds, the latter half of it fading. */
const RING = 0.02
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
   */
  cut(channels: readonly Float32Array[], place: number, left: number, right: number, ratio: number): void
  /**
   * What each channel's samples add up to beyond what the recording's do.
   *
   * Pulses set down less often have a harmonic below the recording's first, where the recording has nothing that they
   * could be cut out of. A constant part of every pulse gives it; it is to be taken away again when they are set down.
   */
  readonly lifts: Float64Array
  /** Mean power of the period repeated every so many samples, all channels together, without what `lifts` tells of. */
  powerEvery(distance: number): number
}

/** Longest that a period's cut may be, samples, for neighbours at most `longest` away. */
export const cutLength = (rate: number, longest: number): number =>
  2 * longest + Math.ceil(RING * rate) + 2 * PAD

/**
 * Opens a cutter.
 *
 * @param rate Hz; @param count channels; @param longest distance of a neighbour, samples
 */
export function periodCutter(rate: number, count: number, longest: number): PeriodCutter {
  const tract = tractFinder(rate, count, longest)
  const most = tract.order
  let order = most
  const [lifts, constants] = [new Float64Array(count), new Float64Array(count)]
  const [fading, firstHarmonic] = [new Float64Array(2 * longest + 2), new Float64Array(2 * longest + 2)]
  const ring = Math.ceil(RING * rate)
  const size = cutLength(rate, longest)
  const { run, floats, doubles } = workspace((5 + count) * size + 8 * most + 64, 5 + count)
  const input = floats(2 * longest + most + 8)
  const [a, turned, pulse] = [doubles(most + 1), doubles(most), doubles(most + size)]
  const channels = Array.from({ length: count }, () => floats(size))
  const fade = Float32Array.from(
    { length: ring >> 1 },
    (_, i) => 0.5 - 0.5 * Math.cos((Math.PI * i) / (ring >> 1)),
  )
  let [middle, length] = [0, 0]
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
    lifts,
    from: PAD,
    get middle() {
      return middle
    },
    get length() {
      return length
    },
    cut(voice, place, left, right, ratio) {
      const found = tract.find(voice, place, (left + right) / 2)
      order = found.length - 1
      a.fill(0).set(found)
      for (let k = 1; k <= order; k++) turned[order - k] = a[k]!
      const from = Math.ceil(place - left)
      const n = Math.floor(place + right) - from + 1
      length = n + ring
      middle = PAD + place - from
      // A source falls by 6 dB an octave, so this many times the first harmonic would stand at 0 Hz for the one between.
      const wanted = 1 + 1 / ratio
      const still = a.reduce((sum, v) => sum + v, 0)
      // The recording tells nothing of the tract at 0 Hz: it is not taken to be louder there than at the first harmonic.
      const trust = ratio < 1 ? Math.min(1, Math.abs(still) / leftOf((4 * Math.PI) / (left + right))) : 0
      for (let i = 0; i < n; i++) {
        const d = from + i - place
        const cosine = Math.cos((Math.PI * d) / (d < 0 ? left : right))
        fading[i] = 0.5 + 0.5 * cosine
        firstHarmonic[i] = 2 * cosine * cosine - 1
      }
      voice.forEach((x, c) => {
        copyRange(x, from - order, from + n, input.fill(0))
        pulse.fill(0)
        const begin = pulse.byteOffset + 8 * order
        run.predictionError(input.byteOffset + 4 * order, a.byteOffset, order, begin, n)
        let [constant, harmonic] = [0, 0]
        for (let i = 0; i < n; i++) {
          const v = pulse[order + i]! * fading[i]!
          pulse[order + i] = v
          constant += v
          harmonic += v * firstHarmonic[i]!
        }
        const lift = trust * (wanted * harmonic - constant)
        for (let i = 0; i < n; i++) pulse[order + i]! += ((2 * lift) / (left + right)) * fading[i]!
        lifts[c] = trust && lift / still
        constants[c] = constant / still
        pulse[order + n] = 0
        run.undoPrediction(begin, turned.byteOffset, order, length)
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
      // The constant that is taken away again has no power.
      let sum = power / distance
      lifts.forEach((lift, c) => (sum -= (lift * (lift + 2 * constants[c]!)) / distance ** 2))
      return Math.max(0, sum)
    },
  }
}
