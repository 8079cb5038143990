// Names of pitch classes.

const SHARPS = ['C', 'C#', 'D', 'D#', 'E', 'F', 'F#', 'G', 'G#', 'A', 'A#', 'B'] as const

/** Name of a pitch class with sharps; any whole number, C = 0. */
export const noteName = (pitchClass: number): string => SHARPS[((pitchClass % 12) + 12) % 12]!
