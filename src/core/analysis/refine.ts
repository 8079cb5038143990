// Refines an onset from a frame to the physical start of its attack, in the time domain.

/** Each difference takes this much of the sample before away. */
const EMPHASIS = 0.95
/** Differences are taken up to so many times. */
const ORDERS = 3
/** Rises are looked for in sums of so many samples. */
const BLOCK = 4

/**
 * Power of the channels around one onset after one, two and three first differences. Each evens the spectrum by 6 dB
 * an octave more, so that tones still ringing hide a new attack less; where the attack itself is dull, one does best.
 */
function emphasizedPowers(channels: readonly Float32Array[], from: number, to: number): Float64Array[] {
  const out = Array.from({ length: ORDERS }, () => new Float64Array(to - from))
  const [once, twice, thrice] = out as [Float64Array, Float64Array, Float64Array]
  for (const c of channels) {
    const at = (i: number): number => (i >= 0 ? c[i]! : 0)
    let x = at(from - 1)
    let a = x - EMPHASIS * at(from - 2)
    let b = a - EMPHASIS * (at(from - 2) - EMPHASIS * at(from - 3))
    for (let i = from; i < to; i++) {
      const next = c[i]!
      const d = next - EMPHASIS * x
      const e = d - EMPHASIS * a
      const f = e - EMPHASIS * b
      x = next
      a = d
      b = e
      const k = i - from
      once[k] = once[k]! + d * d
      twice[k] = twice[k]! + e * e
      thrice[k] = thrice[k]! + f * f
    }
  }
  return out
}

/** Differences after which next to nothing is left below 10 kHz. */
const BRIGHT = 8

/** Power of the channels after so many first differences that only the highest frequencies are left. */
function brightPower(channels: readonly Float32Array[], from: number, to: number): Float64Array {
  const out = new Float64Array(to - from)
  for (const c of channels) {
    const x = Float64Array.from({ length: to - from + BRIGHT }, (_, i) => c[from - BRIGHT + i] ?? 0)
    for (let k = 0; k < BRIGHT; k++) for (let i = x.length - 1; i > k; i--) x[i]! -= x[i - 1]!
    for (let i = 0; i < out.length; i++) out[i]! += x[i + BRIGHT]! ** 2
  }
  return out
}

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

/** The clearest rise that any span shows after any number of differences. */
function clearestRise(
  powers: readonly Float64Array[],
  sampleRate: number,
): Rise & { readonly order: number } {
  let best = { at: 0, ratio: 0, order: 0 }
  let most = 0
  const coarse = powers.map(blocks)
  SPANS.forEach((seconds, s) => {
    const span = Math.max(1, Math.round((seconds * sampleRate) / BLOCK))
    coarse.forEach((power, order) => {
      const { at, ratio } = firstRise(power, span)
      const worth = s ? LONG_WORTH * ratio : ratio
      if (worth <= most) return
      most = worth
      best = { at: at * BLOCK, ratio, order }
    })
  })
  return best
}

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

/**
 * Start of the attack near an onset found by frames.
 *
 * Finds the clearest rise of level, over short and long spans and with one to three differences taken, then splits
 * the signal around it into "before the attack" and "attack" by variance. Where nothing rises steeply there, a split far
 * from the estimate is not believed, and the sound begins shortly after it. What stays 26 dB below the first peak is no
 * start of a note yet.
 *
 * @param channels planar audio; @param around estimated onset, samples; @param sampleRate Hz
 * @param reach how far the onset may lie from the estimate on either side, seconds
 * @returns sample at which the attack begins
 */
export function attackStart(
  channels: readonly Float32Array[],
  around: number,
  sampleRate: number,
  reach = 0.022,
): number {
  return heardFrom(channels, startOf(channels, around, sampleRate, reach, emphasizedPowers), sampleRate)
}

/** The same for an attack that shows in the highest frequencies only, which is found there to a few milliseconds. */
export const brightStart = (channels: readonly Float32Array[], around: number, sampleRate: number): number =>
  startOf(channels, around, sampleRate, 0.012, (c, from, to) => [brightPower(c, from, to)])

function startOf(
  channels: readonly Float32Array[],
  around: number,
  sampleRate: number,
  reach: number,
  powersOf: (channels: readonly Float32Array[], from: number, to: number) => Float64Array[],
): number {
  const ms = sampleRate / 1000
  const length = channels[0]!.length
  const from = Math.max(0, Math.round(around - reach * sampleRate - 6 * ms))
  const to = Math.min(length, Math.round(around + reach * sampleRate + 6 * ms))
  if (to - from < 10 * ms) return Math.max(0, Math.min(length - 1, around))
  const powers = powersOf(channels, from, to)
  const rise = clearestRise(powers, sampleRate)
  const begin = Math.max(0, rise.at - Math.round(7 * ms))
  const end = Math.min(to - from, rise.at + Math.round(2.5 * ms))
  const power = powers[rise.order]!
  const split = begin + changePoint(power.subarray(begin, end))
  const [early, late] = SLACK.map((slack) => around + slack * sampleRate) as [number, number]
  if (steepness(power, split, Math.round(BESIDE * sampleRate)) >= CLEAR) return from + split
  return from + split >= early && from + split <= late
    ? from + split
    : Math.round(around + SWELL * sampleRate)
}
