// Pitches that waver and glide: the level of single partials, and distances of strings that waver apart from each other.
import { levelsOf, rising, toneWith, vibrato, type Pitch } from '../../tests/support/vibrato'
import { spectralDistance } from './metrics'
import { references, type Stretching } from './references'
import { ours, RATE, row } from './signals'

const RATIOS = [0.75, 1.25, 1.5]
const SECONDS = 4
const TONES: readonly (readonly [string, Pitch])[] = [
  ...([500, 1000, 2000, 4000] as const).map((hz) => [`${hz} Hz, 50 ct`, vibrato(hz, 50)] as const),
  ...([1000, 2000] as const).map((hz) => [`${hz} Hz, 100 ct`, vibrato(hz, 100)] as const),
  ['6000 Hz, 80 ct', vibrato(6000, 80)],
  ...([500, 1000, 2000] as const).map((slope) => [`${slope} Hz/s`, rising(600, slope)] as const),
]
/** Notes, Hz, and cents to either side; each wavers at a rate of its own. */
const STRINGS: readonly (readonly [string, readonly number[], number])[] = [
  ['one, 98 Hz', [98], 50],
  ['one, 110 Hz', [110], 50],
  ['one, 440 Hz', [440], 35],
  ['one, 880 Hz', [880], 50],
  ['one, 880 Hz, 80 ct', [880], 80],
  ['three', [293.7, 370, 440], 35],
  ['four', [196, 293.7, 494, 784], 40],
]

function strings(notes: readonly number[], cents: number): Float32Array {
  const voices = notes.map((hz, v) => toneWith(vibrato(hz, cents, 5 + 0.55 * v), 6, RATE, 30))
  return voices[0]!.map((_, i) => 0.3 * voices.reduce((sum, x) => sum + x[i]!, 0))
}

export async function wavering(): Promise<void> {
  const by: [string, Stretching][] = [
    ...(['chords', 'mix'] as const).map((m): [string, Stretching] => [m, ours(m)]),
    ...Object.entries(await references()),
  ]
  process.stdout.write(
    '\nOne partial that wavers 5.5 times a second, or rises: its level, dB: mean, softest, loudest\n',
  )
  row(['pitch', 'by', 'ratio', 'mean', 'softest', 'loudest'])
  for (const [what, pitch] of TONES)
    for (const ratio of RATIOS)
      for (const [name, stretch] of by) {
        const y = stretch([toneWith(pitch, SECONDS, RATE)], RATE, ratio)[0]!
        const { mean, softest, loudest } = levelsOf(y, RATE)
        row([what, name, String(ratio), ...[mean, softest, loudest].map((v) => v.toFixed(2))])
      }
  process.stdout.write('\nStrings that waver: distance dB, convergence\n')
  row(['strings', 'by', 'ratio', 'LSD dB', 'converge'])
  for (const [what, notes, cents] of STRINGS) {
    const x = strings(notes, cents)
    for (const ratio of RATIOS)
      for (const [name, stretch] of by) {
        const d = spectralDistance(x, stretch([x], RATE, ratio)[0]!, ratio)
        row([what, name, String(ratio), d.distance.toFixed(2), d.convergence.toFixed(4)])
      }
  }
}
