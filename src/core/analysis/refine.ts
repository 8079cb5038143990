// Refines an onset from a frame to the physical start of its attack, in the time domain.
import { logOdds } from './judge'
import { differencedPower, DIFFERENCES } from './rises'
import { START_WEIGHTS } from './start-weights'
import { heardAround, type StartRise } from './start-rises'
import { likelyStart } from './likely-start'
import { PLACE_WEIGHTS } from './place-weights'

/** Rises of the highest frequencies are looked for in sums of so many samples. */
const BLOCK = 4

/** Differences after which next to nothing is left below 10 kHz. */
const BRIGHT = 8

/** Sums of each BLOCK values. */
function blocks(x: Float64Array): Float64Array {
  const out = new Float64Array(Math.floor(x.length / BLOCK))
  for (let b = 0, i = 0; b < out.length; b++, i += BLOCK) out[b] = x[i]! + x[i + 1]! + x[i + 2]! + x[i + 3]!
  return out
}

/** An earlier rise at least this share of the steepest, and of at least this ratio, is the attack's true start. */
const EARLIER = 0.25
const EARLIER_RATIO = 3

interface Rise {
  readonly at: number
  /** Power after it over power before it. */
  readonly ratio: number
}

/**
 * The first clear rise of short-time level: power just after over power just before, on a log scale,
 * weighted by how loud what follows is, so that a tiny early click does not win over the attack.
 */
function firstRise(power: Float64Array, span: number): Rise {
  let total = 0
  for (let i = 0; i < power.length; i++) total += power[i]!
  const floor = (total / power.length) * span * 1e-4 + 1e-14
  const n = Math.max(0, power.length - 2 * span)
  const scores = new Float64Array(n)
  const ratios = new Float64Array(n)
  let before = 0
  let after = 0
  for (let i = 0; i < span; i++) before += power[i]!
  for (let i = span; i < 2 * span; i++) after += power[i]!
  let best = 0
  let matters = 0
  for (let i = 0; i < n; i++) {
    const ratio = (after + floor) / (before + floor)
    ratios[i] = ratio
    // No logarithm where even its bound, log r <= r - 1, would make a score that cannot matter.
    if (ratio > 1 && (ratio - 1) ** 2 * after > matters) {
      const score = Math.log(ratio) * Math.sqrt(after)
      scores[i] = score
      if (score > scores[best]!) {
        best = i
        matters = (EARLIER * score) ** 2
      }
    }
    before += power[i + span]! - power[i]!
    after += power[i + 2 * span]! - power[i + span]!
  }
  for (let i = 1; i < best - span; i++)
    if (
      scores[i]! >= EARLIER * scores[best]! &&
      ratios[i]! >= EARLIER_RATIO &&
      scores[i]! >= scores[i - 1]! &&
      scores[i]! > scores[i + 1]!
    )
      return { at: i + span, ratio: ratios[i]! }
  return { at: best + span, ratio: ratios[best] ?? 0 }
}

/**
 * The split of a stretch of signal into two parts of different variance that explains it best.
 *
 * @param power squared (zero-mean) samples
 * @returns index of the first sample of the second part
 * Source: N. Maeda, "A method for reading and checking phase times in autoprocessing system of seismic wave
 * data", Zisin 38, 1985: AIC(k) = k log var(x[0..k)) + (n - k - 1) log var(x[k..n)).
 */
export function changePoint(power: Float64Array): number {
  const n = power.length
  const edge = Math.max(2, Math.floor(n / 50))
  let total = 0
  for (let i = 0; i < n; i++) total += power[i]!
  const floor = (total / n) * 1e-7 + 1e-20
  let sum = 0
  let best = 0
  let bestAic = Infinity
  for (let k = 1; k < n; k++) {
    sum += power[k - 1]!
    if (k < edge || k > n - edge) continue
    const aic = k * Math.log(sum / k + floor) + (n - k - 1) * Math.log((total - sum) / (n - k) + floor)
    if (aic < bestAic) {
      bestAic = aic
      best = k
    }
  }
  return best
}

/** Level is compared over this long on either side, seconds: over the longer, low notes are no row of attacks. */
const SPANS = [0.0025, 0.01] as const
/** A rise over the longer is worth this many times the ratio: it is smoothed more. */
const LONG_WORTH = 2

/** The clearest rise that either span shows. */
function clearestRise(power: Float64Array, sampleRate: number): number {
  let at = 0
  let most = 0
  const coarse = blocks(power)
  SPANS.forEach((seconds, s) => {
    const span = Math.max(1, Math.round((seconds * sampleRate) / BLOCK))
    const rise = firstRise(coarse, span)
    const worth = s ? LONG_WORTH * rise.ratio : rise.ratio
    if (worth <= most) return
    most = worth
    at = rise.at * BLOCK
  })
  return at
}

/** A rise is found in blocks, and split this far on either side of it, seconds. */
const SHARPENED = 0.0012
/** A steep rise has so many times more power after it, after some number of differences. */
const STEEP = 10
/** A split is looked for this long before and after a rise of the highest frequencies, seconds. */
const BEFORE = 0.007
const AFTER = 0.0025
/** Attacks in the highest frequencies lie this near to the estimate, seconds. */
const BRIGHT_REACH = 0.018
/** Power is compared over this long on either side of a split, seconds; a clear attack has so many times more after it. */
const BESIDE = 0.0025
const CLEAR = 4
/** A split that is no clear attack lies no farther before and after the estimate than this, seconds. */
const SLACK = [-0.012, 0.014] as const
/** If it does, nothing is steep here: the sound swells, and begins about this long after the estimate. */
const SWELL = 0.004

/** A note is heard from this share of its first peak on, which lies within so many seconds. */
const HEARD = 0.05
const PEAK = 0.04

/** Passes over what a finger or a stick does before the note, where nothing else sounds: -26 dB of what follows. */
function heardFrom(channels: readonly Float32Array[], at: number, sampleRate: number): number {
  const to = Math.min(channels[0]!.length, at + Math.round(PEAK * sampleRate))
  let peak = 0
  for (const c of channels) for (let i = at; i < to; i++) peak = Math.max(peak, Math.abs(c[i]!))
  for (let i = at; i < to; i++) for (const c of channels) if (Math.abs(c[i]!) >= HEARD * peak) return i
  return at
}

/** Power after a place over power before it. */
function steepness(power: Float64Array, at: number, count: number): number {
  let [before, after] = [1e-14, 1e-14]
  for (let i = 1; i <= count; i++) before += power[at - i] ?? 0
  for (let i = 0; i < count; i++) after += power[at + i] ?? 0
  return after / before
}

/** Where the sound begins near a rise; places are samples of the power's stretch, `around` being the estimate. */
function splitNear(power: Float64Array, rise: number, around: number, rate: number): number {
  const begin = Math.max(0, rise - Math.round(BEFORE * rate))
  const end = Math.min(power.length, rise + Math.round(AFTER * rate))
  const split = begin + changePoint(power.subarray(begin, end))
  if (steepness(power, split, Math.round(BESIDE * rate)) >= CLEAR) return split
  const late = (split - around) / rate
  return late >= SLACK[0] && late <= SLACK[1] ? split : Math.round(around + SWELL * rate)
}

export interface AttackStart {
  /** Sample at which the attack begins. */
  readonly at: number
  /** True where level rises steeply there; false where the sound swells. */
  readonly steep: boolean
}

/** Log-odds of the likeliest rise below which no single one is believed, and from which on one is whatever else says. */
const DOUBTFUL = 0
const SURE = 2
/** Between them a rise is believed where the likely start lies this near, seconds. */
const AGREES = 0.008

/**
 * Start of the attack near an onset found by frames.
 *
 * A small network chooses among the rises of level nearby, weighed after several numbers of differences and over short
 * and long spans; the signal just around it is split into "before the attack" and "attack" by variance. What stays
 * 26 dB below the first peak is no start of a note yet. Sounds that swell have no rise that is surely the start: theirs
 * is told by what a second network hears in the levels all around as well.
 *
 * @param channels planar audio; @param around estimated onset, samples; @param sampleRate Hz
 */
export function attackStart(
  channels: readonly Float32Array[],
  around: number,
  sampleRate: number,
): AttackStart {
  let rise: StartRise | undefined
  let likeliest = -Infinity
  const { rises, levels } = heardAround(channels, around, sampleRate)
  const odds = rises.map((r) => logOdds(START_WEIGHTS, r.features))
  odds.forEach((likely, i) => {
    if (likely <= likeliest) return
    likeliest = likely
    rise = rises[i]
  })
  const within = (at: number): number => Math.max(0, Math.min(channels[0]!.length - 1, Math.round(at)))
  if (!rise) return { at: within(around), steep: false }
  const steep = Math.max(...rise.features.subarray(0, DIFFERENCES.length)) >= Math.log(STEEP)
  if (likeliest < SURE) {
    const likely = rises.map((r, i) => ({ late: (r.at - around) / sampleRate, odds: odds[i]! }))
    const at = around + likelyStart(PLACE_WEIGHTS, levels, likely) * sampleRate
    if (likeliest < DOUBTFUL || Math.abs(at - rise.at) > AGREES * sampleRate) return { at: within(at), steep }
  }
  // To the sample, after as many differences as show it best; the first features are the rise after each of them.
  let o = 1
  for (let k = 2; k < DIFFERENCES.length; k++) if (rise.features[k]! > rise.features[o]!) o = k
  const reach = Math.round(SHARPENED * sampleRate)
  const from = Math.round(rise.at) - reach
  const split = changePoint(differencedPower(channels, from, from + 2 * reach, DIFFERENCES[o]!))
  return { at: heardFrom(channels, within(from + split), sampleRate), steep }
}

/**
 * The same for an attack that shows in the highest frequencies only, which is found there to a few milliseconds: the
 * signal around their clearest rise is split into "before the attack" and "attack" by variance. Where nothing rises
 * steeply there, a split far from the estimate is not believed, and the sound begins shortly after it.
 */
export function brightStart(channels: readonly Float32Array[], around: number, sampleRate: number): number {
  const reach = Math.round(BRIGHT_REACH * sampleRate)
  const length = channels[0]!.length
  const from = Math.max(0, around - reach)
  const to = Math.min(length, around + reach)
  if (to - from < reach / 2) return Math.max(0, Math.min(length - 1, around))
  const power = differencedPower(channels, from, to, BRIGHT)
  return from + splitNear(power, clearestRise(power, sampleRate), around - from, sampleRate)
}
