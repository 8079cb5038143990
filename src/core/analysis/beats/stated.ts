// Tempo as somebody has stated it, in the file's name or tags. Evidence, never believed blindly.

/** A tempo that somebody stated, and where. */
export interface StatedTempo {
  readonly bpm: number
  readonly from: 'name' | 'tags'
}

/** Tempos that are taken for one, BPM. */
const LOW = 30
const HIGH = 300

/**
 * The tempo a file name states: a number with "bpm" beside it, else the only number that could be a tempo.
 *
 * @returns BPM, or null where there is none or several
 */
export function tempoInName(name: string): number | null {
  const bare = name.replace(/\.[a-z0-9]{2,5}$/i, '')
  const marked = /(\d{2,3}(?:[.,]\d{1,3})?)[\s_-]*bpm|bpm[\s_=-]*(\d{2,3}(?:[.,]\d{1,3})?)/i.exec(bare)
  const value = (text: string): number => Number(text.replace(',', '.'))
  if (marked) {
    const bpm = value(marked[1] ?? marked[2]!)
    return bpm >= LOW && bpm <= HIGH ? bpm : null
  }
  // A number of its own, not a date, a take number with a leading zero, a sampling rate or a bit depth.
  const others = [
    ...bare.matchAll(
      /(?<![\d.,])([1-9]\d{1,2}(?:[.,]\d{1,2})?)(?![\d.,]|\s*(?:k?hz|bit|db|ms|s\b|st|nd|rd|th))/gi,
    ),
  ]
    .map((m) => value(m[1]!))
    .filter((v) => v >= 55 && v <= 220)
  return others.length === 1 ? others[0]! : null
}

/** All that a file states. @param taggedBpm from its tags, or null */
export function statedTempos(name: string, taggedBpm: number | null): StatedTempo[] {
  const inName = tempoInName(name)
  return [
    ...(inName === null ? [] : [{ bpm: inName, from: 'name' as const }]),
    ...(taggedBpm === null ? [] : [{ bpm: taggedBpm, from: 'tags' as const }]),
  ]
}
