// Adaptive peak picking on an onset strength curve.

/** A peak: frame index and how far it stands above its surroundings. */
export interface Peak {
  readonly frame: number
  readonly height: number
}

/**
 * Local maxima that stand above the moving mean of their surroundings.
 *
 * @param x      curve, one value a frame
 * @param around frames on either side in which a peak must be the largest
 * @param before, after frames over which the surroundings are averaged
 * @param floor  least height above the mean
 * Source: S. Dixon, "Onset detection revisited", DAFx 2006 (section 2.6), with a mean reaching both ways.
 */
export function pickPeaks(
  x: Float32Array,
  around: number,
  before: number,
  after: number,
  floor: number,
): Peak[] {
  const sums = new Float64Array(x.length + 1)
  for (let i = 0; i < x.length; i++) sums[i + 1] = sums[i]! + x[i]!
  const peaks: Peak[] = []
  for (let i = 0; i < x.length; i++) {
    const v = x[i]!
    if (v <= floor) continue
    let largest = true
    for (let k = Math.max(0, i - around); k <= Math.min(x.length - 1, i + around) && largest; k++)
      largest = x[k]! < v || (x[k]! === v && k >= i)
    if (!largest) continue
    const a = Math.max(0, i - before)
    const b = Math.min(x.length, i + after + 1)
    const mean = (sums[b]! - sums[a]!) / (b - a)
    if (v - mean > floor) peaks.push({ frame: i, height: v - mean })
  }
  return peaks
}
