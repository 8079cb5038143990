// Pulses through resonances that are known.

/** Pulses through resonances: poles at known frequencies and widths, Hz. @param period samples */
export function resonant(
  rate: number,
  period: number,
  poles: readonly (readonly [number, number])[],
  length: number,
): Float32Array {
  const x = new Float64Array(length)
  for (let i = 0; i < length; i += period) x[i] = 1
  for (const [hz, width] of poles) {
    const r = Math.exp((-Math.PI * width) / rate)
    const [a, b] = [2 * r * Math.cos((2 * Math.PI * hz) / rate), -r * r]
    for (let i = 0; i < length; i++) x[i]! += a * (x[i - 1] ?? 0) + b * (x[i - 2] ?? 0)
  }
  const top = x.reduce((m, v) => Math.max(m, Math.abs(v)), 0)
  return Float32Array.from(x, (v) => v / top)
}
