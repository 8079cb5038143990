// Damped sines and their sums, for signals made by code.

/** A sine that dies away: amplitude and phase (radians) at its first sample. */
export interface DampedSine {
  readonly hz: number
  readonly amplitude: number
  readonly phase: number
  /** Seconds in which it falls to 1/e; Infinity for one that stays. */
  readonly decay: number
}

/**
 * Adds partials to samples `from` to `to` of `out`, the first of them at `from`.
 *
 * Each follows from its last two samples, and four run side by side so that none waits for another.
 */
export function addPartials(
  out: Float32Array | Float64Array,
  from: number,
  to: number,
  partials: readonly DampedSine[],
  rate: number,
): void {
  // Read from an array, or else they are no plain numbers to the compiler.
  const s = new Float64Array(16)
  for (let first = 0; first < partials.length; first += 4) {
    s.fill(0)
    partials.slice(first, first + 4).forEach(({ hz, amplitude, phase, decay }, j) => {
      const [w, r] = [(2 * Math.PI * hz) / rate, Math.exp(-1 / (decay * rate))]
      s[j] = amplitude * Math.sin(phase)
      s[4 + j] = (amplitude / r) * Math.sin(phase - w)
      s[8 + j] = 2 * r * Math.cos(w)
      s[12 + j] = r * r
    })
    let a = s[0]!
    let b = s[1]!
    let c = s[2]!
    let d = s[3]!
    let a1 = s[4]!
    let b1 = s[5]!
    let c1 = s[6]!
    let d1 = s[7]!
    const turnA = s[8]!
    const turnB = s[9]!
    const turnC = s[10]!
    const turnD = s[11]!
    const fallA = s[12]!
    const fallB = s[13]!
    const fallC = s[14]!
    const fallD = s[15]!
    for (let i = from; i < to; i++) {
      out[i]! += a + b + c + d
      const nextA = turnA * a - fallA * a1
      const nextB = turnB * b - fallB * b1
      const nextC = turnC * c - fallC * c1
      const nextD = turnD * d - fallD * d1
      a1 = a
      b1 = b
      c1 = c
      d1 = d
      a = nextA
      b = nextB
      c = nextC
      d = nextD
    }
  }
}
