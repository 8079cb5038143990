// Rises of level near an onset that frames have found: one of them is where its attack begins.
import { asLevel, DIFFERENCES, greatestPeaks, levelsOf, stretchOf, type Stretch } from './rises'

/** Attacks are looked for this far from where frames have them; this much more is read on either side, seconds. */
const REACH = 0.03
const MARGIN = 0.02
/** Rises that are looked at, the clearest ones, how clear they must be, and how far apart, blocks. */
const MOST = 8
const LEAST_CLEAR = 0.05
const APART = 8

/** A rise that may be where an attack begins. */
export interface StartRise {
  readonly at: number
  /**
   * By number of differences: rise over 2 ms, level against the loudest, rise over 8 ms and over 16 ms. Then how far it
   * lies after the estimate, how clear it is against the clearest and by itself, how clear the clearest one before and
   * the clearest one after are against it, and the rise over the quietest 2 ms of the 8 before. Rises and levels are
   * natural logs of power; the distance is in hundredths of a second.
   */
  readonly features: Float32Array
}

/** The clearest rises of a stretch around an estimate, in rising order; `at` counts the stretch's samples. */
function startRises(read: Stretch, around: number): StartRise[] {
  const { block, count, short, long, against } = levelsOf(read)
  const margin = Math.round((MARGIN * read.rate) / block)
  const [first, last] = [margin, count - margin]
  const { share, ratio, overLeast, clearness } = against(first, last)
  const clear = clearness(first, last, true)
  const peaks = greatestPeaks(clear, first, last, APART, LEAST_CLEAR, MOST)
  const clearestOf = (is: (k: number) => boolean): number =>
    peaks.reduce((most, k) => (is(k) ? Math.max(most, clear[k]!) : most), 0)
  const besides = (other: number, i: number): number =>
    Math.log((other + LEAST_CLEAR) / (clear[i]! + LEAST_CLEAR))
  const clearest = clearestOf(() => true)
  const orders = DIFFERENCES.map((_, o) => o)
  return [...peaks]
    .sort((a, b) => a - b)
    .map((i) => ({
      at: i * block,
      features: Float32Array.from([
        ...orders.map((o) => ratio(o, i, short)),
        ...orders.map((o) => asLevel(share(o, i))),
        ...orders.map((o) => ratio(o, i, long)),
        ...orders.map((o) => ratio(o, i, 2 * long)),
        ((read.from + i * block - around / read.factor) / read.rate) * 100,
        clear[i]! / clearest,
        clear[i]!,
        besides(
          clearestOf((k) => k < i - short),
          i,
        ),
        besides(
          clearestOf((k) => k > i + short),
          i,
        ),
        overLeast(1, i, i - long, i - short),
      ]),
    }))
}

/** Rises near an estimate, with their places in the recording. */
export function risesNear(
  channels: readonly Float32Array[],
  around: number,
  sampleRate: number,
): StartRise[] {
  const read = stretchAround(channels, around, sampleRate)
  return startRises(read, around).map((r) => ({ ...r, at: (read.from + r.at) * read.factor }))
}

/** What is read around an estimate, samples of the recording. */
const stretchAround = (channels: readonly Float32Array[], around: number, sampleRate: number): Stretch => {
  const reach = (REACH + MARGIN) * sampleRate
  return stretchOf(channels, sampleRate, around - reach, around + reach)
}
