// Single partials of a spectrum: whether one is steady, and whether it is alone.
/**
 * A partial is steady where three bins around it turn alike from one long frame to another a hop later (squared
 * correlation): those of one that glides turn apart by a quarter turn from bin to bin.
 */
const STEADY = 0.9
/** So many bins on either side a partial is looked for. */
const NEARBY = 3
/** A partial this near, bins, with so much of another's power, frames half as long do not part from it. */
const TOO_NEAR = 9
const AS_LOUD = 0.1

const powerAt = (spectra: readonly Float32Array[], k: number): number =>
  spectra.reduce((sum, x) => sum + x[2 * k]! ** 2 + x[2 * k + 1]! ** 2, 0)

/** The loudest bin near another. */
function loudestNear(spectra: readonly Float32Array[], bin: number): number {
  let [peak, most] = [bin, 0]
  for (let k = Math.max(1, bin - NEARBY); k <= bin + NEARBY; k++) {
    const power = powerAt(spectra, k)
    if (power > most) [peak, most] = [k, power]
  }
  return peak
}

/**
 * Whether no other partial lies so near the loudest one near a bin that frames half as long would have both in one.
 *
 * @param spectra of all channels, packed complex bins
 */
export function isAlone(spectra: readonly Float32Array[], bin: number): boolean {
  const peak = loudestNear(spectra, bin)
  const least = AS_LOUD * powerAt(spectra, peak)
  for (let k = Math.max(1, peak - TOO_NEAR); k <= peak + TOO_NEAR; k++) {
    if (Math.abs(k - peak) <= NEARBY) continue
    const power = powerAt(spectra, k)
    if (power > least && power > powerAt(spectra, k - 1) && power >= powerAt(spectra, k + 1)) return false
  }
  return true
}

/**
 * Whether the loudest partial near a bin is steady.
 *
 * @param now, back spectra of all channels, packed complex bins, of a Hann-windowed frame and of one a hop before it
 */
export function isSteady(now: readonly Float32Array[], back: readonly Float32Array[], bin: number): boolean {
  const peak = loudestNear(now, bin)
  let [re, im, one, other] = [0, 0, 1e-30, 1e-30]
  now.forEach((x, c) => {
    const y = back[c]!
    for (let k = 2 * peak - 2; k <= 2 * peak + 2; k += 2) {
      const [a, b, p, q] = [x[k]!, x[k + 1]!, y[k]!, y[k + 1]!]
      re += a * p + b * q
      im += b * p - a * q
      one += a * a + b * b
      other += p * p + q * q
    }
  })
  return re * re + im * im > STEADY * one * other
}
