// The natural logarithm of many numbers at once, to the precision that spectra need.

const bits = new Int32Array(1)
const asFloat = new Float32Array(bits.buffer)

/**
 * ln(1 + gain * x) for every x >= 0, in place; within 2e-4 of the exact value.
 *
 * The exponent is read off the binary float; the logarithm of the mantissa is a fifth-order series in
 * s = (m - 1) / (m + 1): ln m = 2 (s + s^3 / 3 + s^5 / 5) (Abramowitz & Stegun 4.1.27), with m in [0.707, 1.414).
 */
export function logOnePlus(x: Float32Array, gain: number): void {
  for (let i = 0; i < x.length; i++) {
    asFloat[0] = 1 + gain * x[i]!
    const b = bits[0]!
    // Moves the mantissa's range down by half a binade, so that the series stays near 1.
    const exponent = (b - 0x3f3504f3) >> 23
    bits[0] = b - (exponent << 23)
    const s = (asFloat[0]! - 1) / (asFloat[0]! + 1)
    const q = s * s
    x[i] = exponent * Math.LN2 + 2 * s * (1 + q * (1 / 3 + q * 0.2))
  }
}
