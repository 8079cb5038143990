// Voices and played lines at other pitches and speeds.
import { voice, voiceReport } from '../../tests/support/voice'
import { breathing, humming } from '../../tests/support/breaths'
import { levelReport } from '../../tests/support/measure'
import { defaultAttacks, measure } from '../../src/core/analysis/analyse'
import { stretchAudio } from '../../src/core/stretch/stretch'
import { DEFAULT_STRETCH, type MethodName } from '../../src/core/stretch/types'
import { linePiece } from '../corpus/pieces'
import { sampledLines } from '../corpus/sampled'
import { canPlaySamples } from '../corpus/sampler'
import { references } from './references'
import { ours, RATE, row } from './signals'

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
      const attacks = defaultAttacks(measure(channels, RATE).transients, RATE).map((t) => t.at)
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
