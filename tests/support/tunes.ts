// Traditional tunes, written as the abcmidi package gives them among its examples (abc notation, version 1.6): melodies
// that nobody here made up, for tests.
import type { ScoreNote } from '../../bench/corpus/line'

export interface Tune {
  readonly name: string
  readonly key: { readonly tonic: number; readonly mode: 'major' | 'minor' }
  /** Seconds of the unit note length, an eighth. */
  readonly eighth: number
  readonly sharps: string
  readonly flats: string
  readonly abc: string
}

export const TUNES: readonly Tune[] = [
  {
    name: 'a jig in D',
    key: { tonic: 2, mode: 'major' },
    eighth: 0.18,
    sharps: 'FC',
    flats: '',
    abc: `A|DED F2A|d2f ecA|G2B F2A|E2F GFE|DED F2A|d2f ecA|Bgf edc|d3-d2
a|a2f d2f|A2a agf|g2e c2e|A2g gfe|f2d g2e|a2f bag|fed edc|d3-d2`,
  },
  {
    name: 'a hornpipe in D minor',
    key: { tonic: 2, mode: 'minor' },
    eighth: 0.21,
    sharps: '',
    flats: 'B',
    abc: `D2DE DCA,C|DCDE F2FA|c2cd A2GF|ECCC C2FE|D2DE DCA,C|DCDE F2FG|ABcA GFEF|E2D2 D2`,
  },
  {
    name: 'a song in C',
    key: { tonic: 0, mode: 'major' },
    eighth: 0.15,
    sharps: '',
    flats: '',
    abc: `g2|e2g2g3g|f2a2a3a|g2g2f2g2|e6g2|c'3c'c'2g2|b2a2a3a|g3gf2d2|c4
e2f2|g6e2|f2a6|b4a4|a2g4z2|c'6b2|b2a2a4|g3gf2B2|d2c4`,
  },
]

const STEPS: Record<string, number> = { C: 60, D: 62, E: 64, F: 65, G: 67, A: 69, B: 71 }

/** The notes of a tune, from `lead` seconds on. */
export function notesOf(tune: Tune, lead = 0.3): ScoreNote[] {
  const out: ScoreNote[] = []
  let at = lead
  let tied = false
  for (const [, letter, octave, digits, tie] of tune.abc.matchAll(/([A-Ga-gz])([',]*)(\d*)(-?)/g)) {
    const length = Number(digits || 1) * tune.eighth
    const upper = letter!.toUpperCase()
    const last = out[out.length - 1]
    if (tied && last) out[out.length - 1] = { ...last, end: at + length - 0.01 }
    else if (letter !== 'z') {
      const bent = Number(tune.sharps.includes(upper)) - Number(tune.flats.includes(upper))
      const up = (letter === upper ? 0 : 12) + (octave!.includes("'") ? 12 : octave!.includes(',') ? -12 : 0)
      out.push({ start: at, end: at + length - 0.01, midi: STEPS[upper]! + up + bent, level: 0.8 })
    }
    tied = tie === '-'
    at += length
  }
  return out
}
