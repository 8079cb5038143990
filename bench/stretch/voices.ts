// Voices and played lines at other pitches and speeds.
import { voice, voiceReport } from '../../tests/support/voice'
import { breathing, humming } from '../../tests/support/breaths'
import { levelReport } from '../../tests/support/measure'
import { speaker, unevenness, type Manner, type Speaker, type Unevenness } from '../../tests/support/speaker'
import { measure } from '../../src/core/analysis/analyse'
import { stretchAudio } from '../../src/core/stretch/stretch'
import { DEFAULT_STRETCH, type MethodName } from '../../src/core/stretch/types'
import { linePiece } from '../corpus/pieces'
import { sampledLines } from '../corpus/sampled'
import { canPlaySamples } from '../corpus/sampler'
import { spectralDistance } from './metrics'
import { references } from './references'
import { attacksFor, ours, RATE, row } from './signals'

/** Voices spoken by code: what stretching and transposing with kept formants do to them. */
export function voices(): void {
  process.stdout.write(
    '\nA voice with Line, formants kept (pitch is of the voice it should be; farthest formant of each vowel)\n',
  )
  row(['voice', 'asked for', 'f0 cents', 'formants %', 'sharpness', 'AM dB', 'onset ms', 'level dB'])
  for (const [hz, vibrato] of [
    [120, 0],
    [120, 40],
    [220, 0],
    [220, 40],
    [110, 80],
    [150, 120],
  ] as const)
    for (const [ratio, semitones] of [
      [0.75, 0],
      [1.25, 0],
      [1.5, 0],
      [1, 5],
      [1, -5],
      [1, 3],
      [1, -3],
      [1.25, 5],
      [0.75, -5],
    ] as const) {
      const pitch = 2 ** (semitones / 12)
      const { channels } = voice(hz, 1, vibrato, 0.6)
      const attacks = attacksFor('line', measure(channels, RATE).transients, RATE)
      const length = channels[0]!.length
      const map = [
        { source: 0, target: 0 },
        { source: length, target: Math.round(length * ratio) },
      ]
      const sound = { ...DEFAULT_STRETCH, method: 'line', pitch, formants: 'keep' } as const
      const out = stretchAudio({ channels, sampleRate: RATE }, map, attacks, sound)[0]!
      const r = voiceReport(voice(hz, pitch, vibrato, 0.6), out, ratio)
      row([
        `${hz} Hz ±${vibrato}`,
        `x${ratio} ${semitones} st`,
        r.f0.toFixed(1),
        r.formants.map((f) => f.toFixed(1)).join('/'),
        r.sharpness.toFixed(2),
        r.wavering.toFixed(2),
        r.consonants.toFixed(1),
        r.level.toFixed(1),
      ])
    }
}

/** Voices that speak: periods that differ, breath, glides. */
const SPEAKERS: readonly (readonly [string, Manner])[] = [
  ['man', { hz: 115, jitter: 0.007, shimmer: 0.04, breath: 0.04, swing: 3 }],
  ['woman', { hz: 210, jitter: 0.007, shimmer: 0.04, breath: 0.06, swing: 2 }],
  ['woman, glides', { hz: 210, jitter: 0.007, shimmer: 0.04, breath: 0.06, swing: 4 }],
  ['child', { hz: 300, jitter: 0.006, shimmer: 0.03, breath: 0.06, swing: 2 }],
  ['hoarse', { hz: 130, jitter: 0.02, shimmer: 0.1, breath: 0.15, swing: 2 }],
]

/** Voices as people have them: how near to the recording they stay, and how uneven their periods are. */
export async function speakers(): Promise<void> {
  process.stdout.write(
    '\nVoices that speak, stretched, and transposed with their formants kept: unevenness in the mean of five vowels, worst in brackets\n',
  )
  row(['voice', 'by', 'asked for', 'distance dB', 'convergence', 'jitter %', 'shimmer %', 'should be'])
  const told = (x: Float32Array, said: Speaker, ratio: number): [string, string] => {
    const all = unevenness(x, said, ratio)
    const text = (of: (u: Unevenness) => number): string =>
      `${(all.reduce((sum, u) => sum + of(u), 0) / all.length).toFixed(1)} (${Math.max(...all.map(of)).toFixed(1)})`
    return [text((u) => u.jitter), text((u) => u.shimmer)]
  }
  for (const [name, manner] of SPEAKERS) {
    const said = speaker(manner)
    const { channels } = said
    row([name, 'recording', '', '', '', ...told(channels[0]!, said, 1)])
    for (const ratio of [0.75, 1.25, 1.5])
      for (const [by, stretch] of [['line', ours('line')] as const, ...Object.entries(await references())]) {
        const out = stretch(channels, RATE, ratio)[0]!
        const d = spectralDistance(channels[0]!, out, ratio)
        const near = [d.distance.toFixed(2), d.convergence.toFixed(3)]
        row([name, by, `x${ratio}`, ...near, ...told(out, said, ratio)])
      }
    const attacks = attacksFor('line', measure(channels, RATE).transients, RATE)
    const length = channels[0]!.length
    const map = [
      { source: 0, target: 0 },
      { source: length, target: length },
    ]
    for (const semitones of [5, -5]) {
      const pitch = 2 ** (semitones / 12)
      const wanted = speaker(manner, pitch)
      for (const [by, struck] of [
        ['line', attacks],
        ['none marked', []],
      ] as const) {
        const sound = { ...DEFAULT_STRETCH, method: 'line', pitch, formants: 'keep' } as const
        const out = stretchAudio({ channels, sampleRate: RATE }, map, struck, sound)[0]!
        const should = told(wanted.channels[0]!, wanted, 1).join(', ')
        row([name, by, `${semitones} st`, '', '', ...told(out, wanted, 1), should])
      }
    }
  }
}

/** Breaths and consonants: how much they hum once they last longer, and their level. */
export async function breaths(): Promise<void> {
  process.stdout.write(
    '\nBreaths and consonants: largest autocorrelation at 2 to 50 ms of pieces of 60 ms, and level dB\n',
  )
  const { channels, noises } = breathing()
  const x = channels[0]!
  const own = humming(x, x, noises, 1)
  row(['by', 'ratio', ...own.keys()])
  row(['the recording', '', ...[...own.values()].map((v) => v.hum.toFixed(2))])
  const all = [['line', ours('line')] as const, ...Object.entries(await references())]
  for (const ratio of [0.75, 1.25, 1.5, 2])
    for (const [name, stretch] of all) {
      const told = humming(x, stretch(channels, RATE, ratio)[0]!, noises, ratio)
      row([
        name,
        String(ratio),
        ...[...told.values()].map((v) => `${v.hum.toFixed(2)} ${v.level.toFixed(1)}`),
      ])
    }
}

/** Levels of single-note lines of every kind of instrument at other pitches. */
export function playedLines(method: MethodName): void {
  process.stdout.write(
    `\nPlayed lines transposed with ${method}, formants kept: level, dB: of all / worst 50 ms / peak\n`,
  )
  const steps = [-12, -5, 5, 12]
  row(['line', '', ...steps.map((s) => `${s} st`.padStart(18))])
  const coded = (['string', 'bass', 'keys', 'bowed', 'flute', 'reed', 'sung'] as const).map(
    (v) => () => linePiece(v, v, 57),
  )
  for (const make of [...coded, ...(canPlaySamples() ? sampledLines(6000) : [])]) {
    const { name, channels, sampleRate } = make()
    const x = channels[0]!.subarray(0, 8 * sampleRate)
    const map = [
      { source: 0, target: 0 },
      { source: x.length, target: x.length },
    ]
    row([
      name,
      '',
      ...steps.map((step) => {
        const sound = {
          ...DEFAULT_STRETCH,
          method,
          pitch: 2 ** (step / 12),
          formants: 'keep',
        } as const
        const out = stretchAudio({ channels: [x], sampleRate }, map, [], sound)[0]!
        const { all, worst, peak } = levelReport(x, out, sampleRate)
        return [all, worst, peak]
          .map((d) => d.toFixed(1))
          .join(' / ')
          .padStart(18)
      }),
    ])
  }
}
