// Tempo as a musician writes it: with the note that is counted.
import { beatLength, notesPerBeat, type MeterStep } from '../../core/music/meter-map'

type Signature = Pick<MeterStep, 'numerator' | 'denominator' | 'written'>

const SIGNS: Record<number, string> = { 2: '𝅗𝅥', 4: '♩', 8: '♪', 16: '𝅘𝅥𝅯' }
const NAMES: Record<number, string> = {
  1: 'whole note',
  2: 'half note',
  4: 'quarter note',
  8: 'eighth',
  16: 'sixteenth',
  32: 'thirty-second',
}

/** The counted beat of a meter: its sign (`♩.`), its name, and its length in quarter notes. */
export function beatOf(m: Signature): { sign: string; name: string; quarters: number } {
  // Three notes of the signature are one of twice their length, with a dot.
  const dotted = notesPerBeat(m) === 3
  const value = dotted ? m.denominator / 2 : m.denominator
  const name = NAMES[value] ?? `1/${value} note`
  return {
    sign: `${SIGNS[value] ?? `1/${value}`}${dotted ? '.' : ''}`,
    name: dotted ? `dotted ${name.replace(' note', '')}` : name,
    quarters: beatLength(m),
  }
}

/** `♩. = 111.5`. @param bpm counted beats a minute */
export const tempoWith = (m: Signature, bpm: number, digits = 1): string =>
  `${beatOf(m).sign} = ${Number(bpm.toFixed(digits))}`
