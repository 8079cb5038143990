// What becomes of the timbre of voices that are transposed with their formants kept.
import { choir, timbreDistance } from '../../tests/support/timbre'
import { stretchAudio } from '../../src/core/stretch/stretch'
import { DEFAULT_STRETCH, type StretchSettings } from '../../src/core/stretch/types'
import { transposers, type Transposing } from './references'
import { RATE, row } from './signals'

/** Pitches of what sounds at once, Hz. */
const CHOIRS: Readonly<Record<string, readonly (readonly number[])[]>> = {
  'one voice': [[131], [220]],
  chords: [
    [131, 165, 196],
    [220, 277, 330],
    [98, 147, 185, 247],
    [262, 330, 392, 523],
  ],
}
const STEPS = [-12, -5, -3, 3, 5, 12]

const byOurs =
  (settings: Partial<StretchSettings>): Transposing =>
  (channels, rate, pitch) => {
    const length = channels[0]!.length
    const map = [
      { source: 0, target: 0 },
      { source: length, target: length },
    ]
    return stretchAudio({ channels, sampleRate: rate }, map, [], { ...DEFAULT_STRETCH, ...settings, pitch })
  }

/** Distances from the timbre that voices of the same formants have at another pitch, dB. */
export async function timbres(): Promise<void> {
  process.stdout.write('\nVoices transposed, formants kept: distance from the timbre they should have, dB\n')
  row(['voices', 'by', ...STEPS.map((s) => `${s} st`)])
  const entries: [string, Transposing][] = [
    ...(['line', 'chords', 'mix'] as const).map((method): [string, Transposing] => [
      method,
      byOurs({ method, formants: 'keep' }),
    ]),
    ['chords, moved', byOurs({ method: 'chords', formants: 'move' })],
    ...Object.entries(await transposers()),
  ]
  for (const [title, some] of Object.entries(CHOIRS))
    for (const [name, transpose] of entries)
      row([
        title,
        name,
        ...STEPS.map((step) => {
          const pitch = 2 ** (step / 12)
          const each = some.map((pitches) =>
            timbreDistance(choir(pitches, pitch), transpose(choir(pitches, 1).channels, RATE, pitch)[0]!),
          )
          return (each.reduce((sum, d) => sum + d, 0) / each.length).toFixed(2)
        }),
      ])
}
