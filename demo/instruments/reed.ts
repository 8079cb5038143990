// A free reed pair, as in a concertina: two reeds a few cents apart, every harmonic beating at its own rate.
export interface ReedNote {
  readonly midi: number
  /** Seconds. */
  readonly length: number
  /** 0-1. */
  readonly level: number
}

/** Rise and fall of the bellows' pressure, seconds. */
const RISE = 0.018
const FALL = 0.03
/** The second reed is this much sharper, cents. */
const BEATING = 7

/**
 * One note.
 *
 * Harmonic levels fall like those of a nearly square air pulse; common practice in additive synthesis.
 *
 * @returns samples
 */
export function reedNote(n: ReedNote, rate: number): Float32Array {
  const out = new Float32Array(Math.round((n.length + FALL) * rate))
  const hz = 440 * 2 ** ((n.midi - 69) / 12)
  for (let h = 1; h * hz < 9000 && h <= 24; h++) {
    const level = (n.level * (h % 2 ? 1 : 0.45)) / h ** 1.1
    for (const cents of [0, BEATING]) {
      const w = (2 * Math.PI * h * hz * 2 ** (cents / 1200)) / rate
      const start = h * 0.7 + cents
      for (let i = 0; i < out.length; i++) out[i]! += 0.5 * level * Math.sin(w * i + start)
    }
  }
  for (let i = 0; i < out.length; i++) {
    const t = i / rate
    const rise = Math.min(1, t / RISE)
    const fall = Math.min(1, Math.max(0, (n.length + FALL - t) / FALL))
    out[i]! *= rise * rise * (3 - 2 * rise) * fall
  }
  return out
}
