// TPDF dither from a counter-based generator, so that the noise depends on the sample's place and on nothing else.

/** Avalanche of a 32-bit integer (the finalizer of MurmurHash3, A. Appleby, public domain). */
function mix32(h: number): number {
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b)
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35)
  return (h ^ (h >>> 16)) >>> 0
}

/**
 * Triangular-probability dither of two least significant bits peak to peak.
 *
 * @param index   sample index in the file; @param channel channel number
 * @returns noise in units of one least significant bit, in (-1, 1)
 * Source: Lipshitz, Wannamaker & Vanderkooy, "Quantization and Dither: A Theoretical Survey", JAES 40(5), 1992.
 */
export function tpdf(index: number, channel: number): number {
  const a = mix32(Math.imul(index, 0x9e3779b1) ^ Math.imul(channel + 1, 0x7feb352d))
  return (a - mix32(a ^ 0x5bd1e995)) / 4294967296
}
