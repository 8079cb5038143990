// How far a performance strays from its count or from the grid, beat by beat and bar by bar.
import type { Counted } from './count'

/** A bar's deviation. */
export interface BarDrift {
  /** From 1. */
  readonly bar: number
  /** Place of its beat 1 in the recording, samples. */
  readonly source: number
  /** Median over its beats, seconds; positive where the music is later than the line. */
  readonly off: number
  /** Beats of it that have a note. */
  readonly heard: number
}

/** An attack as it is heard: recording samples and strength 0-1. */
export interface Attack {
  readonly at: number
  readonly strength: number
}

/** Attacks farther from a beat than this share of it are not on it, or than these seconds. */
const NEAR_SHARE = 0.3
const NEAR = 0.09

const median = (x: readonly number[]): number => {
  const s = [...x].sort((a, b) => a - b)
  const h = s.length >> 1
  return s.length % 2 ? s[h]! : (s[h - 1]! + s[h]!) / 2
}

/**
 * The attack heard at each beat of a count: of those near it the strongest, nearer ones preferred.
 *
 * @returns recording places by beat number
 */
export function heardBeats(c: Counted, attacks: readonly Attack[], rate: number): Map<number, number> {
  const out = new Map<number, number>()
  let k = 0
  c.beats.forEach((b, i) => {
    const gap = i + 1 < c.beats.length ? c.beats[i + 1]!.source - b.source : b.source - c.beats[i - 1]!.source
    const reach = Math.min(NEAR * rate, NEAR_SHARE * gap)
    while (k < attacks.length && attacks[k]!.at < b.source - reach) k++
    let best = 0
    for (let j = k; j < attacks.length && attacks[j]!.at <= b.source + reach; j++) {
      const { at, strength } = attacks[j]!
      const weight = (0.2 + strength) * (1 - Math.abs(at - b.source) / (2 * reach))
      if (weight > best) {
        best = weight
        out.set(b.n, at)
      }
    }
  })
  return out
}

/**
 * Deviation bar by bar.
 *
 * @param line seconds at which a beat number should sound
 * @param seconds at which a recording place does sound
 * Source: common practice (asynchrony: onset time less metronome time, positive when late).
 */
export function driftByBar(
  c: Counted,
  heard: ReadonlyMap<number, number>,
  line: (n: number) => number,
  seconds: (source: number) => number,
): BarDrift[] {
  const bars = new Map<number, { source: number; offs: number[] }>()
  for (const b of c.beats) {
    const bar = Math.floor(b.n / c.beatsPerBar)
    const entry = bars.get(bar) ?? { source: b.source, offs: [] }
    const at = heard.get(b.n)
    if (at !== undefined) entry.offs.push(seconds(at) - line(b.n))
    bars.set(bar, entry)
  }
  return [...bars]
    .filter(([, e]) => e.offs.length > 0)
    .map(([bar, e]) => ({ bar: bar + 1, source: e.source, off: median(e.offs), heard: e.offs.length }))
}

/** The bar where one more known point would help most: where drift is worst; undefined within a tolerance, seconds. */
export function worstBar(drift: readonly BarDrift[], tolerance: number): BarDrift | undefined {
  const sure = drift.filter((d) => d.heard > 0)
  const worst = sure.reduce<BarDrift | undefined>(
    (a, b) => (!a || Math.abs(b.off) > Math.abs(a.off) ? b : a),
    undefined,
  )
  return worst && Math.abs(worst.off) > tolerance ? worst : undefined
}
