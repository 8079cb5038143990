// Rises of level near an onset that frames have found: one of them is where its attack begins.
import { greatestPeaks, Levels, ORDERS, stretchOf } from './rises'

/** Attacks are looked for this far from where frames have them; this much more is read on either side, seconds. */
const REACH = 0.03
const MARGIN = 0.02
/** Rises that are looked at, the clearest ones, how clear they must be, and how far apart, blocks. */
const MOST = 8
const LEAST_CLEAR = 0.05
const APART = 8

/** A rise that may be where an attack begins. */
export interface StartRise {
  /** Sample of the recording. */
  readonly at: number
  /**
   * By number of differences: rise over 2 ms, level against the loudest, rise over 8 ms and over 16 ms. Then how far it
   * lies after the estimate, how clear it is against the clearest and by itself, how clear the clearest one before and
   * the clearest one after are against it, and the rise over the quietest 2 ms of the 8 before. Rises and levels are
   * natural logs of power; the distance is in hundredths of a second.
   */
  readonly features: Float32Array
}

const FEATURES = 4 * ORDERS + 6

/** The features of the rise at block `i`; `late` is how far it lies after the estimate, hundredths of a second. */
function featuresAt(
  l: Levels,
  clear: Float64Array,
  peaks: readonly number[],
  i: number,
  late: number,
): Float32Array {
  const { short, long } = l
  const out = new Float32Array(FEATURES)
  l.tell(i, out)
  for (let o = 0; o < ORDERS; o++) out[3 * ORDERS + o] = l.ratio(o, i, 2 * long)
  let [clearest, before, after] = [0, 0, 0]
  for (const k of peaks) {
    const c = clear[k]!
    if (c > clearest) clearest = c
    if (k < i - short && c > before) before = c
    if (k > i + short && c > after) after = c
  }
  const own = clear[i]!
  let at = 4 * ORDERS
  out[at++] = late
  out[at++] = own / clearest
  out[at++] = own
  out[at++] = Math.log((before + LEAST_CLEAR) / (own + LEAST_CLEAR))
  out[at++] = Math.log((after + LEAST_CLEAR) / (own + LEAST_CLEAR))
  out[at] = l.overLeast(1, i, i - long, i - short)
  return out
}

/** What is heard around an estimate. */
export interface Around {
  /** The clearest rises, in rising order, with their places in the recording. */
  readonly rises: readonly StartRise[]
  /**
   * Levels of 2 ms every 3 ms, from 48 ms before the estimate to 45 ms after it, without, after two and after five
   * differences, against the loudest; natural logs of power.
   */
  readonly levels: Float32Array
}

/** Levels are told at so many places, this far apart, seconds, the first so many before the estimate. */
const TOLD = 32
const TOLD_APART = 0.003
const TOLD_BEFORE = 16
/** After these of DIFFERENCES. */
const TOLD_ORDERS = [0, 2, 3] as const

/** What is heard around an estimate of an attack's start. @param around samples */
export function heardAround(channels: readonly Float32Array[], around: number, sampleRate: number): Around {
  const reach = (REACH + MARGIN) * sampleRate
  const read = stretchOf(channels, sampleRate, around - reach, around + reach)
  const levels = new Levels(read)
  const { block, count } = levels
  const margin = Math.round((MARGIN * read.rate) / block)
  const [first, last] = [margin, count - margin]
  levels.against(first, last)
  const clear = levels.clearness(first, last, true)
  const peaks = greatestPeaks(clear, first, last, APART, LEAST_CLEAR, MOST)
  const step = (TOLD_APART * read.rate) / block
  const middle = (around / read.factor - read.from) / block
  const told = new Float32Array(TOLD * TOLD_ORDERS.length)
  TOLD_ORDERS.forEach((o, i) => levels.course(o, middle - TOLD_BEFORE * step, step, TOLD, told, i * TOLD))
  return {
    rises: [...peaks]
      .sort((a, b) => a - b)
      .map((i) => {
        const late = ((read.from + i * block - around / read.factor) / read.rate) * 100
        return {
          at: (read.from + i * block) * read.factor,
          features: featuresAt(levels, clear, peaks, i, late),
        }
      }),
    levels: told,
  }
}
