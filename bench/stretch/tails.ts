// What becomes of cymbals, of drums that ring, and of a room, by themselves.
import { tailChange } from '../../tests/support/tails'
import { stretchAudio } from '../../src/core/stretch/stretch'
import { DEFAULT_STRETCH, type StretchSettings } from '../../src/core/stretch/types'
import { median } from '../../tests/support/measure'
import { rendered } from '../corpus/sampler'
import { references } from './references'
import { RATE, row } from './signals'

/** General MIDI percussion keys, and the seconds for which each is held. */
const STROKES: Readonly<
  Record<string, { readonly wet: boolean; readonly keys: readonly (readonly [number, number])[] }>
> = {
  cymbals: {
    wet: false,
    keys: [
      [49, 5],
      [57, 4],
      [51, 3],
      [53, 3],
      [46, 1.2],
      [55, 2],
      [52, 3],
    ],
  },
  'drums that ring': {
    wet: false,
    keys: [
      [41, 1.5],
      [45, 1.2],
      [50, 1.2],
      [64, 1],
      [65, 1],
      [81, 3],
      [84, 3],
    ],
  },
  'drums in a room': {
    wet: true,
    keys: [
      [36, 1],
      [38, 1],
      [39, 1],
      [37, 1],
    ],
  },
}
const START = 0.3
/** A tail ends where it is this far below the stroke. */
const OVER = 0.004
const RATIOS = [0.5, 0.75, 1.25, 1.5, 2]

function strokeOf(key: number, seconds: number, wet: boolean) {
  const event = { start: START, end: seconds, midi: key, level: 0.8, channel: 9 }
  const all = rendered([event], new Map(), wet)
  const x = all[0]!
  const top = x.reduce((m, v) => Math.max(m, Math.abs(v)), 0)
  const heard = (v: number): boolean => Math.abs(v) > OVER * top
  const stroke = x.findIndex(heard)
  let end = x.length
  while (!heard(x[end - 1]!)) end--
  return { channels: all.map((c) => c.slice(0, end)), stroke }
}

/** How much levels waver, and where they are farthest from what the map asks for, medians and extremes. */
export async function tails(): Promise<void> {
  process.stdout.write(
    '\nTails by octave against the original along the map: wavering, median, and farthest, dB\n',
  )
  row(['strokes', 'by', ...RATIOS.map(String)])
  const libraries = await references()
  const ways: [string, (channels: readonly Float32Array[], ratio: number, stroke: number) => Float32Array][] =
    [
      ...(
        [
          ['Hits, mirror', { method: 'hits' }],
          ['Hits, repeat', { method: 'hits', fill: 'repeat' }],
          ['Chords', { method: 'chords' }],
          ['Mix', { method: 'mix' }],
        ] as [string, Partial<StretchSettings>][]
      ).map(([name, settings]): (typeof ways)[number] => [
        name,
        (channels, ratio, stroke) => {
          const length = channels[0]!.length
          const map = [
            { source: 0, target: 0 },
            { source: length, target: Math.round(length * ratio) },
          ]
          const sound = { ...DEFAULT_STRETCH, ...settings }
          return stretchAudio({ channels, sampleRate: RATE }, map, [stroke], sound)[0]!
        },
      ]),
      ...['spectral, fine', 'spectral, fast'].map((name): (typeof ways)[number] => [
        name,
        (channels, ratio) => libraries[name]!(channels, RATE, ratio)[0]!,
      ]),
    ]
  for (const [title, { wet, keys }] of Object.entries(STROKES)) {
    const strokes = keys.map(([key, seconds]) => strokeOf(key, seconds, wet))
    for (const [name, stretch] of ways)
      row([
        title,
        name,
        ...RATIOS.map((ratio) => {
          const each = strokes
            .map(({ channels, stroke }) =>
              tailChange(channels[0]!, stretch(channels, ratio, stroke), RATE, ratio, stroke),
            )
            // Some are too short to be judged at half their length.
            .filter((e) => Number.isFinite(e.wavering))
          const farthest = each.reduce((w, e) => (Math.abs(e.farthest) > Math.abs(w) ? e.farthest : w), 0)
          return `${median(each.map((e) => e.wavering)).toFixed(2)} ${farthest.toFixed(0)}`
        }),
      ])
  }
}
