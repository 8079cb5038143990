// What the analysis found, in the words of a musician.
import type { Findings } from '../../../core/analysis/analyse'
import { notesPerBeat } from '../../../core/music/meter-map'
import { beatOf } from '../../stage/beat-words'
import { noteName } from '../../../core/music/note-names'

const signed = (x: number): string => {
  const whole = Math.round(x)
  return whole === 0 ? '0' : `${whole < 0 ? '−' : '+'}${Math.abs(whole)}`
}
const clock = (seconds: number): string =>
  `${Math.floor(seconds / 60)}:${String(Math.floor(seconds % 60)).padStart(2, '0')}`

/** Tempo in the beats that are counted, and how many notes of the signature one of them has. */
export function countedTempo(f: Pick<Findings, 'tempo' | 'meter'>): { bpm: number; notes: 1 | 3 } {
  const notes = notesPerBeat(signatureOf(f.meter))
  return { bpm: f.tempo.bpm / notes, notes }
}
const signatureOf = (m: Pick<Findings['meter'], 'beatsPerBar' | 'beatUnit'>) => ({
  numerator: m.beatsPerBar,
  denominator: m.beatUnit,
})

/** "♩ = 92.00 throughout, 4/4, beat 1 at 0.500 s". */
export function tempoWords(f: Pick<Findings, 'tempo' | 'meter' | 'beatOne'>): string {
  if (f.tempo.bpm <= 0) return 'No beat was found.'
  const { sign } = beatOf(signatureOf(f.meter))
  const { bpm: counted } = countedTempo(f)
  const bpm = f.tempo.steady
    ? `${sign} = ${counted.toFixed(2)} throughout`
    : `${sign} = about ${counted.toFixed(0)}, changing`
  const one = f.beatOne === null ? '' : `, beat 1 at ${f.beatOne.toFixed(3)} s`
  return `${bpm}, ${f.meter.beatsPerBar}/${f.meter.beatUnit}${one}`
}

/** What speaks for the tempo, and what else it could be. */
export function tempoEvidence(f: Pick<Findings, 'tempo' | 'meter'>): string {
  const [chosen, ...others] = f.tempo.candidates
  if (!chosen) return ''
  const also = others.filter((c) => c.relation === 'half' || c.relation === 'double' || c.score > 0.05)
  const list = also.slice(0, 3).map((c) => {
    const relation = c.relation === 'other' ? '' : `${c.relation}, `
    return `${(c.bpm / countedTempo(f).notes).toFixed(1)} (${relation}${Math.round(100 * c.score)}\u00a0%)`
  })
  const sure = `${Math.round(100 * chosen.score)} % sure.`
  return [...chosen.evidence, sure, list.length ? `Else ${list.join(', ')}.` : ''].filter(Boolean).join(' ')
}

/** "D minor (82 %), tuned +3 cents from A 440". */
export function keyWords(f: Pick<Findings, 'keys' | 'tuning'>): string {
  const [key] = f.keys
  if (!key) return 'Nothing tonal was found.'
  const tuned = f.tuning.confidence > 0.3 ? `, tuned ${signed(f.tuning.cents)} cents from A 440` : ''
  return `${noteName(key.tonic)} ${key.mode} (${Math.round(100 * key.confidence)} %)${tuned}`
}

/** "64 notes of a single line", where it is one. */
export function notesWords(f: Pick<Findings, 'notes' | 'material'>): string {
  if (f.material.singleLine < 0.5 || f.notes.length === 0) return ''
  return `${f.notes.length} ${f.notes.length === 1 ? 'note' : 'notes'} of a single line.`
}

/** Where another method suits, from region to region; empty where one suits throughout. */
export function regionWords(f: Pick<Findings, 'material'>, label: (method: string) => string): string {
  const { regions } = f.material
  if (regions.length < 2) return ''
  return regions.map((r) => `From ${clock(r.start)} ${label(r.suggested)}.`).join(' ')
}
