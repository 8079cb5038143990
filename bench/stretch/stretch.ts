// npm run bench stretch: quality and speed of every method against libraries from the registry, on signals made by code.
import FFT from 'fft.js'
import { noise, periodic, sine, struck } from '../../tests/support/signals'
import { materialOf, measure } from '../../src/core/analysis/analyse'
import { mainSource } from '../../src/core/analysis/source'
import { pitchLine } from '../../src/core/analysis/pitch/find'
import { stretchAudio } from '../../src/core/stretch/stretch'
import { DEFAULT_STRETCH, METHOD_NAMES } from '../../src/core/stretch/types'
import { besideHarmonics, percentile, rms } from '../../tests/support/measure'
import { chordAfter, chordUnderHats, movedMap, toneAfter, toneUnderHats } from '../../tests/support/hats'
import { flatness, hiss, kurtosis, repetition, shower } from '../../tests/support/textures'
import { attackMaps } from './attacks'
import { faults } from './faults'
import { imageChange, stereoPiece } from './image'
import { attacksOf, spectralDistance, toneOf } from './metrics'
import { fastLines, programs } from './programs'
import { recordings } from './recordings'
import { references, type Stretching } from './references'
import { canPlaySamples } from '../corpus/sampler'
import { ours, RATE, RATIO, row, sampledSignals, SIGNALS, type Signal } from './signals'
import { tails } from './tails'
import { timbres } from './timbre'
import { wavering } from './vibrato'
import { breaths, playedLines, speakers, voices } from './voices'
import { byWindow } from './windows'

/** 95th percentile of the pitch's distance from that of the original at the mapped place, cents, of voiced frames. */
function pitchError(original: Float32Array, output: Float32Array, ratio: number): number {
  const line = (x: Float32Array) => pitchLine(mainSource([x], RATE))
  const [a, b] = [line(original), line(output)]
  const errors: number[] = []
  b.f0.forEach((hz, i) => {
    const at = Math.round(i / ratio)
    // Well inside a note: where the pitch leaps, half a frame decides which note is compared.
    const around = [-4, 0, 4].map((d) => a.f0[at + d] ?? 0)
    if (hz === 0 || around.some((v) => v === 0)) return
    if (Math.abs(1200 * Math.log2(around[2]! / around[0]!)) > 60) return
    errors.push(Math.abs(1200 * Math.log2(hz / around[1]!)))
  })
  return percentile(errors, 0.95)
}

/** Distances, attacks and levels of signals at three ratios. */
async function quality(title: string, signals: readonly Signal[]): Promise<void> {
  process.stdout.write(`\n${title}\n`)
  const others = await references()
  row([
    'signal',
    'by',
    'ratio',
    'LSD dB',
    'converge',
    'ms',
    'worst ms',
    'wave',
    'before dB',
    'peak dB',
    'rise',
    'level dB',
    'f0 cents',
  ])
  for (const s of signals) {
    const piece = s.make()
    const x = piece.channels[0]!
    const entries: [string, Stretching][] = [
      ...s.methods.map((m): [string, Stretching] => [m, ours(m)]),
      ...Object.entries(others),
    ]
    for (const ratio of s.methods.join() === 'line' ? [RATIO] : [0.75, RATIO, 1.5])
      for (const [name, stretch] of entries) {
        const y = stretch(piece.channels, RATE, ratio)[0]!
        const d = spectralDistance(x, y, ratio)
        const a = attacksOf(
          x,
          y,
          RATE,
          piece.onsets.map((t) => ({ source: Math.round(t * RATE), target: Math.round(t * RATE * ratio) })),
        )
        const f0 = s.methods.includes('line') ? pitchError(x, y, ratio).toFixed(1) : ''
        row([
          s.name,
          name,
          ratio.toFixed(2),
          d.distance.toFixed(2),
          d.convergence.toFixed(3),
          a.median.toFixed(2),
          a.worst.toFixed(1),
          a.correlation.toFixed(3),
          a.preEcho.toFixed(1),
          a.level.toFixed(1),
          a.rise.toFixed(2),
          (20 * Math.log10(rms(y) / rms(x))).toFixed(2),
          f0,
        ])
      }
  }
}

/** B0, D1, E1, G1, A1, B1 and C2, whole samples. */
const LOW_PERIODS = [1429, 1202, 1070, 900, 802, 715, 674]

/** What becomes of a steady tone. */
async function tone(): Promise<void> {
  const others = await references()
  process.stdout.write('\nA sine: residual dB, ripple dB, cents\n')
  const tones: [string, Stretching][] = [
    ...(['chords', 'mix', 'line'] as const).map((m): [string, Stretching] => [m, ours(m)]),
    ...Object.entries(others),
  ]
  for (const hz of [30.9, 41.2, 55, 440, 1318.5])
    for (const [name, stretch] of tones)
      for (const ratio of [0.75, 1.25]) {
        const t = toneOf(stretch([sine(hz, 4, RATE)], RATE, ratio)[0]!, hz, RATE)
        row([`${name} ${hz}`, String(ratio), t.residual.toFixed(1), t.ripple.toFixed(2), t.cents.toFixed(3)])
      }
  process.stdout.write('\nLow notes of forty harmonics: what lies beside these, dB\n')
  row(['by', '', ...LOW_PERIODS.map((period) => `${(RATE / period).toFixed(1)} Hz`)])
  for (const [name, stretch] of tones)
    for (const ratio of [0.75, 1.25, 1.5])
      row([
        name,
        String(ratio),
        ...LOW_PERIODS.map((period) =>
          besideHarmonics(
            stretch([periodic(period, 4, RATE)], RATE, ratio)[0]!,
            period,
            Math.floor((1.5 * RATE) / period),
          ).toFixed(1),
        ),
      ])
}

/** What Tape adds to tones: images of what is slowed down, and what folds back of what is sped up. */
function tapeImages(): void {
  process.stdout.write('\nA tone with Tape: what is there besides, dB below it\n')
  const tones = [1000, 10000, 15000, 18000, 19000, 20000, 21000]
  row(['ratio', '', ...tones.map((hz) => `${hz} Hz`)])
  for (const ratio of [0.5, 0.8, 0.95, 1.05, 1.25, 2])
    row([
      String(ratio),
      '',
      ...tones.map((hz) => {
        const y = ours('tape')([sine(hz, 3, RATE)], RATE, ratio)[0]!
        // What cannot be there at its new frequency must not be there at all.
        if (hz / ratio < (RATE / 2) * 0.99) return toneOf(y, hz / ratio, RATE).residual.toFixed(0)
        const from = Math.round(0.5 * RATE)
        return (20 * Math.log10(rms(y, from, y.length - from) / rms(sine(hz, 1, RATE)))).toFixed(0)
      }),
    ])
}

/** What becomes of a tone that rings on under hats. */
async function underHats(): Promise<void> {
  process.stdout.write('\nA tone under hats 12 dB softer: softest and loudest dB, pitch in cents (95 %)\n')
  row(['tone', 'by', 'ratio', 'softest', 'loudest', 'cents'])
  const tones = [82.4, 83.6, 220, 223, 700].map((hz) => [hz, 1])
  for (const [hz, pace] of [...tones, [41.2, 1.4], [55, 1.4], [65.4, 1.4]] as [number, number][])
    for (const [name, stretch] of [
      ...(['chords', 'mix'] as const).map((m): [string, Stretching] => [m, ours(m)]),
      ...Object.entries(await references()),
    ])
      for (const ratio of [0.75, RATIO, 1.5]) {
        const { channels } = toneUnderHats(hz, 8, RATE, -12, pace)
        const t = toneAfter(stretch(channels, RATE, ratio)[0]!, hz, RATE)
        const cells = [t.softest.toFixed(1), t.loudest.toFixed(1), t.cents.toFixed(1)]
        row([`${hz} Hz${pace > 1 ? ', fast' : ''}`, name, String(ratio), ...cells])
      }
}

/** The same where every hat is moved by up to 20 ms, as a quantizer does, and where the tempo changes besides. */
function underMovedHats(): void {
  process.stdout.write('\nA tone under hats that are moved by up to 20 ms: softest, loudest, cents\n')
  row(['tone', 'by', 'ratio', 'softest', 'loudest', 'cents'])
  for (const hz of [82.4, 83.6, 110, 220, 223, 440, 700])
    for (const method of ['chords', 'mix'] as const)
      for (const ratio of [1, 1.1]) {
        const played = toneUnderHats(hz, 8, RATE, -12)
        const sound = { ...DEFAULT_STRETCH, method }
        const y = stretchAudio(played, movedMap(played, ratio, 0.02), played.attacks, sound)[0]!
        const t = toneAfter(y, hz, RATE)
        const cells = [t.softest.toFixed(1), t.loudest.toFixed(1), t.cents.toFixed(1)]
        row([`${hz} Hz`, method, String(ratio), ...cells])
      }
}

/** A fifth, a triad and a seventh chord under the hats, Hz. */
const CHORDS = [
  [130.8, 196],
  [196, 246.9, 293.7],
  [220, 261.6, 329.6, 392],
]

/** What becomes of the partials of steady chords. */
async function chordsUnderHats(): Promise<void> {
  process.stdout.write('\nChords under hats: partials, means of softest, loudest and cents, worst cents\n')
  for (const notes of CHORDS)
    for (const [name, stretch] of [
      ...(['chords', 'mix'] as const).map((m): [string, Stretching] => [m, ours(m)]),
      ...Object.entries(await references()),
    ])
      for (const ratio of [0.75, RATIO, 1.5]) {
        const { channels } = chordUnderHats(notes, 8, RATE, -12)
        const t = chordAfter(stretch(channels, RATE, ratio)[0]!, notes, RATE)
        const cells = [t.softest, t.loudest, t.cents, t.worst].map((v) => v.toFixed(1))
        row([`${notes.length} notes`, name, String(ratio), ...cells])
      }
}

/** What becomes of a stereo image. */
async function images(): Promise<void> {
  process.stdout.write('\nA stereo image against the original, in the worst third of an octave\n')
  row(['ratio', 'by', 'levels dB', 'mono dB', 'phase'])
  const { channels, sampleRate } = stereoPiece()
  for (const ratio of [0.75, RATIO, 1.5])
    for (const [name, stretch] of [
      ...(['chords', 'mix', 'hits'] as const).map((m): [string, Stretching] => [m, ours(m)]),
      ...Object.entries(await references()),
    ]) {
      const { level, mono, phase } = imageChange(
        channels,
        stretch(channels, sampleRate, ratio),
        sampleRate,
        ratio,
      )
      row([String(ratio), name, level.toFixed(2), mono.toFixed(2), `${phase.toFixed(1)}°`])
    }
}

/** Noises at 1.5: nothing repeats, and colour and grit stay. */
async function textures(): Promise<void> {
  const ratio = 1.5
  process.stdout.write('\nNoises at 1.5, against the original\n')
  row(['noise', 'by', 'level dB', 'flatness', 'kurtosis', 'of', 'repeats'])
  const noises: [string, Float32Array][] = [
    ['hiss', hiss(30, RATE, 5)],
    ['rain', shower(30, RATE, 400, 0.002, 3)],
    ['applause', shower(30, RATE, 150, 0.006, 5)],
  ]
  const hop = Math.round((DEFAULT_STRETCH.size / 2000) * RATE)
  for (const [name, x] of noises) {
    row([name, 'suggested', materialOf([x], RATE, measure([x], RATE)).suggested])
    for (const [who, stretch] of [
      ...(['grains', 'chords', 'mix'] as const).map((m): [string, Stretching] => [m, ours(m)]),
      ...Object.entries(await references()),
    ]) {
      const y = stretch([x], RATE, ratio)[0]!
      row([
        name,
        who,
        (20 * Math.log10(rms(y) / rms(x))).toFixed(2),
        (flatness(y) - flatness(x)).toFixed(2),
        (kurtosis(y) - kurtosis(x)).toFixed(2),
        kurtosis(x).toFixed(2),
        repetition(y, hop - 40, hop + 40, 8).toFixed(3),
      ])
    }
  }
}

function scaleOf(): number {
  const other = new FFT(2048)
  const complex = other.createComplexArray()
  const list = [...noise(1, 2048, 1, 1)]
  let best = Infinity
  for (let r = 0; r < 6; r++) {
    const start = performance.now()
    for (let i = 0; i < 2000; i++) other.realTransform(complex, list)
    best = Math.min(best, (performance.now() - start) / 2)
  }
  return best
}

async function speed(): Promise<void> {
  const minute = struck(1, 60, RATE, 2)
  const length = minute.channels[0]!.length
  const map = [
    { source: 0, target: 0 },
    { source: length, target: Math.round(length * RATIO) },
  ]
  process.stdout.write(
    `\nA stereo minute at 1.25, times real time; +2 st with formants kept (fft.js ${scaleOf().toFixed(0)} µs)\n`,
  )
  const timed = (name: string, work: () => void): void => {
    let best = Infinity
    for (let r = 0; r < 2; r++) {
      const start = performance.now()
      work()
      best = Math.min(best, performance.now() - start)
    }
    row([name, '', (60 / (best / 1000)).toFixed(1)])
  }
  for (const method of METHOD_NAMES)
    timed(method, () =>
      stretchAudio({ channels: minute.channels, sampleRate: RATE }, map, minute.attacks, {
        ...DEFAULT_STRETCH,
        method,
      }),
    )
  for (const method of ['line', 'chords', 'mix'] as const)
    timed(`${method}, +2 st`, () =>
      stretchAudio({ channels: minute.channels, sampleRate: RATE }, map, minute.attacks, {
        ...DEFAULT_STRETCH,
        method,
        pitch: 2 ** (2 / 12),
        formants: 'keep',
      }),
    )
  for (const [name, stretch] of Object.entries(await references()))
    timed(name, () => stretch(minute.channels, RATE, RATIO))
}

/** Levels of played lines transposed, by every method that keeps formants in its own way. */
const levels = (): void => {
  for (const method of ['line', 'chords'] as const) playedLines(method)
}

/** Sweeps over many instruments, each asked for by itself. */
const SWEEPS: Readonly<Record<string, (ratio: number) => Promise<void>>> = {
  programs: (ratio) => programs(ratio, Number(process.env.EVERY ?? 3)),
  lines: fastLines,
  windows: byWindow,
}

export async function benchStretch(): Promise<void> {
  const swept = SWEEPS[process.env.ONLY ?? '']
  if (swept) {
    if (!canPlaySamples()) throw new Error('Install fluidsynth and fluid-soundfont-gm first.')
    for (const ratio of [0.75, 1.25, 1.5]) await swept(ratio)
    return
  }
  if (process.env.RECORDINGS) return recordings(process.env.RECORDINGS)
  if (process.env.ONLY === 'faults') {
    faults()
    return
  }
  if (process.env.ONLY === 'timbres') return timbres()
  if (process.env.ONLY === 'voices') return voices()
  if (process.env.ONLY === 'speakers') return speakers()
  if (process.env.ONLY === 'levels') return levels()
  if (process.env.ONLY === 'tails') return tails()
  if (process.env.ONLY === 'breaths') return breaths()
  if (process.env.ONLY === 'tones') return tone()
  if (process.env.ONLY === 'images') return tapeImages()
  if (process.env.ONLY === 'vibrato') return wavering()
  if (process.env.ONLY !== 'quality') await speed()
  if (process.env.ONLY === 'speed') return

  await quality('Made by code', SIGNALS)
  if (canPlaySamples()) await quality('Played by sampled instruments', sampledSignals())
  await tone()
  tapeImages()
  await underHats()
  underMovedHats()
  await chordsUnderHats()
  attackMaps()
  await images()
  await textures()
  voices()
  await speakers()
  await breaths()
  await wavering()
  await timbres()
  if (canPlaySamples()) await tails()
  levels()
}
