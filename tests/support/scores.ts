// Scores of music information retrieval, from the definitions in their literature; they judge ours and others alike.

/** Fractional MIDI number of a frequency. */
const midi = (hz: number): number => 69 + 12 * Math.log2(hz / 440)

/**
 * Melody scores of a pitch line against the truth.
 *
 * @param truth, found Hz at the same times, 0 where unvoiced; NaN in the truth is not counted
 * Source: J. Salamon et al., "Melody extraction from polyphonic music signals", IEEE SPM 31(2), 2014, as in mir_eval
 * melody: raw accuracies over truly voiced frames, voicing recall and false alarm. An unvoiced estimate counts as
 * wrong here.
 */
export function pitchScore(truth: readonly number[], found: readonly number[]) {
  let [voiced, unvoiced, within50, within20, chroma, recall, alarm] = [0, 0, 0, 0, 0, 0, 0]
  truth.forEach((t, i) => {
    const f = found[i] ?? 0
    if (Number.isNaN(t)) return
    if (t <= 0) {
      unvoiced++
      if (f > 0) alarm++
      return
    }
    voiced++
    if (f <= 0) return
    recall++
    const cents = 100 * (midi(f) - midi(t))
    if (Math.abs(cents) <= 50) within50++
    if (Math.abs(cents) <= 20) within20++
    if (Math.abs(cents - 1200 * Math.round(cents / 1200)) <= 50) chroma++
  })
  return { voiced, unvoiced, within50, within20, chroma, recall, alarm }
}

/**
 * Beat scores.
 *
 * F within ±70 ms; CMLt: share of true beats whose estimate and that before it keep within 17.5 % of the interval
 * in place and in length; AMLt: the best of that over double, half (either phase) and off-beat metrical levels.
 * Beats in the first five seconds count too.
 * Source: M. Davies, N. Degara & M. Plumbley, "Evaluation methods for musical audio beat tracking algorithms",
 * QMUL C4DM-TR-09-06, 2009 (sections 3.1 and 3.3), as in mir_eval beat.
 */
export function beatScore(truth: readonly number[], found: readonly number[]) {
  const doubled = truth.flatMap((t, i) => (i + 1 < truth.length ? [t, (t + truth[i + 1]!) / 2] : [t]))
  const off = doubled.filter((_, i) => i % 2 === 1)
  const even = truth.filter((_, i) => i % 2 === 0)
  const odd = truth.filter((_, i) => i % 2 === 1)
  const total = continuity(truth, found)
  return {
    cmlt: total,
    amlt: Math.max(total, ...[off, doubled, odd, even].map((variant) => continuity(variant, found))),
  }
}

function nearestIndex(sorted: readonly number[], t: number): number {
  let best = 0
  for (let i = 1; i < sorted.length; i++) if (Math.abs(sorted[i]! - t) < Math.abs(sorted[best]! - t)) best = i
  return best
}

/** Share of correct beats; an estimate is used once. */
function continuity(truth: readonly number[], found: readonly number[]): number {
  if (truth.length < 2 || found.length < 2) return 0
  const used = new Set<number>()
  let correct = 0
  found.forEach((b, i) => {
    const k = nearestIndex(truth, b)
    if (used.has(k)) return
    const reference = k > 0 ? truth[k]! - truth[k - 1]! : truth[k + 1]! - truth[k]!
    const interval = i > 0 ? b - found[i - 1]! : found[i + 1]! - b
    const inPlace = Math.abs(b - truth[k]!) < 0.175 * reference
    const inLength = Math.abs(1 - interval / reference) < 0.175
    if (inPlace && inLength) {
      used.add(k)
      correct++
    }
  })
  return correct / Math.max(truth.length, found.length)
}

export interface Key {
  readonly tonic: number
  readonly mode: string
}

/**
 * Weighted key score: same 1, a fifth apart 0.5, relative 0.3, parallel 0.2.
 * Source: MIREX audio key detection, as in mir_eval key.weighted_score (version 0.7: the fifth above only).
 */
export function keyScore(truth: Key, found: Key): number {
  const step = (found.tonic - truth.tonic + 12) % 12
  if (found.mode === truth.mode) return step === 0 ? 1 : step === 7 ? 0.5 : 0
  if (step === 0) return 0.2
  return step === (truth.mode === 'major' ? 9 : 3) ? 0.3 : 0
}

export interface Note {
  readonly start: number
  readonly midi: number
}

/**
 * Notes matched one to one with onsets within ±50 ms and pitches within ±50 cents.
 * Source: mir_eval, its score of notes by onset and pitch without offsets; matched greedily in order of the truth.
 */
export function noteScore(truth: readonly Note[], found: readonly Note[]) {
  const used = new Set<number>()
  const cents: number[] = []
  for (const t of truth) {
    let best = -1
    found.forEach((f, i) => {
      if (used.has(i) || Math.abs(f.start - t.start) > 0.05 || Math.abs(f.midi - t.midi) > 0.5) return
      if (best < 0 || Math.abs(f.start - t.start) < Math.abs(found[best]!.start - t.start)) best = i
    })
    if (best < 0) continue
    used.add(best)
    cents.push(Math.abs(100 * (found[best]!.midi - t.midi)))
  }
  const f = cents.length ? (2 * cents.length) / (truth.length + found.length) : 0
  return { f, cents }
}
