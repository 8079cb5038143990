// Refines an onset from a frame to the physical start of its attack, in the time domain.

/** Scratch power of the pre-emphasized channels around one onset. */
function emphasizedPower(channels: readonly Float32Array[], from: number, to: number): Float64Array {
  const out = new Float64Array(to - from)
  for (const c of channels)
    for (let i = Math.max(from, 1); i < to; i++) {
      // First difference: evens the spectrum, so that low tones still ringing do not hide a new attack.
      const d = c[i]! - 0.95 * c[i - 1]!
      out[i - from]! += d * d
    }
  return out
}

/** An earlier rise at least this share of the steepest, and of at least this ratio, is the attack's true start. */
const EARLIER = 0.5
const EARLIER_RATIO = 5

/**
 * Index of the first clear rise of short-time level: power just after over power just before, on a log scale,
 * weighted by how loud what follows is, so that a tiny early click does not win over the attack.
 */
function firstRise(power: Float64Array, span: number, floor: number): number {
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
      return i + span
  return best + span
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

/**
 * Start of the attack near an onset found by frames.
 *
 * Finds the first clear rise of level, then splits the 12 ms before the following local maximum into "before the
 * attack" and "attack" by variance.
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
  const ms = sampleRate / 1000
  const length = channels[0]!.length
  const from = Math.max(0, Math.round(around - reach * sampleRate - 6 * ms))
  const to = Math.min(length, Math.round(around + reach * sampleRate + 6 * ms))
  const span = Math.round(2.5 * ms)
  if (to - from < 4 * span) return Math.max(0, Math.min(length - 1, around))
  const power = emphasizedPower(channels, from, to)
  let mean = 0
  for (let i = 0; i < power.length; i++) mean += power[i]!
  const floor = (mean / power.length) * span * 1e-4 + 1e-14
  const rise = firstRise(power, span, floor)
  const begin = Math.max(0, rise - Math.round(7 * ms))
  const end = Math.min(power.length, rise + Math.round(2.5 * ms))
  const split = begin + changePoint(power.subarray(begin, end))
  return from + split
}
