// Candidates judged again among their like: what sounds alike is alike, and what comes round again is meant.

/** Candidates of a recording, in rising order of time, but for a few milliseconds where their causes differ. */
export interface Crowd {
  /** Seconds. */
  readonly times: Float64Array
  /** Log-odds that a note starts there, each judged by itself. */
  readonly odds: Float32Array
  /** Logarithms of the onset strength in each of REGIONS regions of the spectrum, one candidate after the other. */
  readonly shapes: Float32Array
  /** How far the recording is a line of single notes, 0-1. */
  readonly line: number
  readonly seconds: number
}

export const REGIONS = 4
/** Onset strength that is as good as none. */
const NOTHING = 0.02

/** A candidate's shape in one region. @param peak its onset strength there */
export const shapeOf = (peak: number): number => Math.log(peak + NOTHING)

/** Candidates this near are its company, seconds. */
const COMPANY = 20
/** Spread of shapes that are alike: squared distances of their logarithms. */
const ALIKE = 0.81
/** What comes round again does so after this long at least and at most, twice in a row to either side, seconds. */
const SOONEST = 0.08
const LATEST = 1.3
const PLACES = [-1, 1, -2, 2] as const
/** To be in time it may be so far off, seconds. */
const OFF = 0.03
/** What is less likely makes no rhythm. */
const LIKELY = 0.2
/** Slots a second in which candidates are looked up. */
const SLOTS = 100
/** Candidates this near may be the same attack, seconds. */
const SAME = 0.07

export const ALIKE_NAMES = [
  'odds by itself',
  'how likely its like are',
  'likely ones like it',
  'ones like it',
  'their share of all that are likely',
  'comes round again among its like',
  'comes round again',
  'likely ones a second',
  'likeliest beside it',
  'line of single notes',
] as const

/**
 * Features of candidates among their company.
 *
 * @returns for the candidate `i`, which receives ALIKE_NAMES.length values in `out`
 */
export function company({
  times,
  odds,
  shapes,
  line,
  seconds,
}: Crowd): (i: number, out: Float32Array) => void {
  const n = times.length
  const likely = Float32Array.from(odds, (z) => 1 / (1 + Math.exp(-z)))
  // How alike the candidates around one are to it, from `first` on.
  const alike = new Float32Array(n)
  let [first, end] = [0, 0]
  /** The first candidate in each slot of 10 ms or later. */
  const slots = new Int32Array(Math.ceil((times[n - 1] ?? 0) * SLOTS) + 2).fill(n)
  for (let j = n - 1; j >= 0; j--) slots[Math.max(0, Math.floor(times[j]! * SLOTS))] = j
  for (let s = slots.length - 2; s >= 0; s--) slots[s] = Math.min(slots[s]!, slots[s + 1]!)
  /** The first candidate at a time or later. */
  const at = (time: number): number => {
    let j = slots[Math.min(slots.length - 1, Math.floor(Math.max(0, time) * SLOTS))]!
    while (j < n && times[j]! < time) j++
    return j
  }
  /** How likely something sounds at a time, and something like candidate `i` there. */
  const around = (time: number, i: number, pair: Float32Array): void => {
    let [any, similar] = [0, 0]
    for (let j = at(time - OFF); j < n && times[j]! < time + OFF; j++) {
      if (j === i) continue
      const p = likely[j]! * Math.sqrt(1 - Math.abs(times[j]! - time) / OFF)
      if (p > any) any = p
      if (p * alike[j]! > similar) similar = p * alike[j]!
    }
    pair[0] = similar
    pair[1] = any
  }
  const pair = new Float32Array(2)
  const [here, anywhere] = [new Float32Array(4), new Float32Array(4)]
  /** Mean of the three largest of four. */
  const three = (x: Float32Array): number => {
    let least = Infinity
    let sum = 0
    for (let k = 0; k < 4; k++) {
      sum += x[k]!
      if (x[k]! < least) least = x[k]!
    }
    return (sum - least) / 3
  }
  return (i, out) => {
    const now = times[i]!
    first = at(now - COMPANY)
    end = at(now + COMPANY)
    let [similar, both, all] = [0, 0, 0]
    for (let j = first; j < end; j++) {
      let d = 0
      for (let r = 0; r < REGIONS; r++) d += (shapes[REGIONS * i + r]! - shapes[REGIONS * j + r]!) ** 2
      const like = Math.exp(-d / ALIKE)
      alike[j] = like
      all += likely[j]!
      if (j === i) continue
      similar += like
      both += like * likely[j]!
    }
    let [again, anyAgain, beside] = [0, 0, 0]
    for (let j = at(now - LATEST); j < n && times[j]! <= now + LATEST; j++) {
      const lag = Math.abs(times[j]! - now)
      if (j === i) continue
      if (lag < SAME) beside = Math.max(beside, likely[j]!)
      if (lag < SOONEST || likely[j]! < LIKELY) continue
      for (let q = 0; q < 4; q++) {
        around(now + PLACES[q]! * lag, i, pair)
        here[q] = pair[0]!
        anywhere[q] = pair[1]!
      }
      again = Math.max(again, three(here))
      anyAgain = Math.max(anyAgain, three(anywhere))
    }
    const span = Math.min(seconds, now + COMPANY) - Math.max(0, now - COMPANY)
    out.set([
      odds[i]!,
      both / (similar + 0.3),
      Math.log(both + 0.05),
      Math.log(similar + 0.05),
      both / (all + 1),
      again,
      anyAgain,
      all / Math.max(1, span) / 5,
      beside,
      line,
    ])
  }
}
