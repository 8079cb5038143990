// Beats as text: a table of comma-separated values, and labels as audio editors read them.

/** A beat as it is listed. */
export interface ListedBeat {
  /** Seconds of the recording, and of the session. */
  readonly recording: number
  readonly session: number
  /** From 1. */
  readonly bar: number
  readonly beat: number
  /** Tempo up to the next beat, beats a minute. */
  readonly bpm: number
  readonly confidence: number
}

const fixed = (x: number, places: number): string => x.toFixed(places)

/** Comma-separated values with a line of names first (RFC 4180: CRLF ends a line). */
export const beatsAsCsv = (list: readonly ListedBeat[]): string =>
  [
    'bar,beat,recording seconds,session seconds,bpm,confidence',
    ...list.map((b) =>
      [
        b.bar,
        b.beat,
        fixed(b.recording, 6),
        fixed(b.session, 6),
        fixed(b.bpm, 3),
        fixed(b.confidence, 2),
      ].join(','),
    ),
    '',
  ].join('\r\n')

/** Labels: start, end and text in each line, parted by tabs; seconds of the recording (common practice). */
export const beatsAsLabels = (list: readonly ListedBeat[]): string =>
  list.map((b) => `${fixed(b.recording, 6)}\t${fixed(b.recording, 6)}\t${b.bar}|${b.beat}\n`).join('')
