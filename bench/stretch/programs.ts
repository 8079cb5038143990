// Every sound of a General MIDI set but its effects, stretched by Chords and by the libraries: chords with a tune above.
import { randomFrom } from '../../src/core/dsp/random'
import { rendered, type Event } from '../corpus/sampler'
import { spectralDistance } from './metrics'
import { references } from './references'
import { ours, RATE, row } from './signals'

/** Roots of chords, and the notes above them, semitones. */
const CHORDS: readonly (readonly [root: number, notes: readonly number[]])[] = [
  [48, [0, 4, 7]],
  [53, [0, 4, 9]],
  [45, [0, 3, 7, 12]],
  [50, [0, 3, 7]],
  [55, [0, 4, 7, 10]],
  [52, [0, 3, 10]],
  [48, [0, 7, 16]],
  [43, [0, 4, 7]],
]
const PROGRAMS = 112
const SECONDS = 10

/** A piece of chords, some of them strummed, with notes of theirs an octave up between; anew for every program. */
function score(program: number): Event[] {
  const random = randomFrom(9000 + program)
  const events: Event[] = []
  const apart = 0.6 + 0.5 * random()
  CHORDS.forEach(([root, notes], k) => {
    const start = 0.3 + k * apart
    const key = root + Math.round(4 * random())
    const strum = random() < 0.4 ? 0.012 : 0
    const level = (): number => 0.25 + 0.3 * random()
    notes.forEach((n, i) =>
      events.push({
        start: start + i * strum,
        end: start + 0.95 * apart,
        midi: key + n,
        level: level(),
        channel: 0,
      }),
    )
    for (const third of [1, 2])
      if (random() < 0.7) {
        const from = start + (third * apart) / 3
        const midi = key + 12 + notes[Math.floor(random() * 3)]!
        events.push({ start: from, end: from + apart / 3, midi, level: level(), channel: 0 })
      }
  })
  return events
}

/**
 * Distances of every program at a ratio, and against the best of the libraries.
 *
 * @param every so many programs are left out between one and the next, and one more
 */
export async function programs(ratio: number, every: number): Promise<void> {
  process.stdout.write(`\nSounds of General MIDI at ${ratio}: of Chords and of the best library\n`)
  row(['program', 'LSD dB', 'best', 'converge', 'best'])
  const others = Object.values(await references())
  const nearer = [0, 0]
  let count = 0
  for (let program = 0; program < PROGRAMS; program += every) {
    const channels = rendered(score(program), new Map([[0, program]]), false).map((x) =>
      x.slice(0, SECONDS * RATE),
    )
    const of = (stretch: (typeof others)[number]) =>
      spectralDistance(channels[0]!, stretch(channels, RATE, ratio)[0]!, ratio)
    const own = of(ours('chords'))
    const best = others.map(of)
    const [distance, convergence] = [
      Math.min(...best.map((d) => d.distance)),
      Math.min(...best.map((d) => d.convergence)),
    ]
    count++
    if (own.distance < distance) nearer[0]!++
    if (own.convergence < convergence) nearer[1]!++
    row([
      String(program),
      own.distance.toFixed(2),
      distance.toFixed(2),
      own.convergence.toFixed(4),
      convergence.toFixed(4),
    ])
  }
  process.stdout.write(`Nearer than the best: ${nearer[0]} and ${nearer[1]} of ${count}\n`)
}
