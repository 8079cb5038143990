// npm run bench stretch: quality and speed of every method against libraries from the registry, on signals made by code.
import FFT from 'fft.js'
import { noise, sine, struck } from '../../tests/support/signals'
import { defaultAttacks, measure } from '../../src/core/analysis/analyse'
import { mainSource } from '../../src/core/analysis/source'
import { randomFrom } from '../../src/core/dsp/random'
import { toTarget, type TimeMap } from '../../src/core/timing/time-map'
import { pitchLine } from '../../src/core/analysis/pitch/find'
import { stretchAudio } from '../../src/core/stretch/stretch'
import { DEFAULT_STRETCH, METHOD_NAMES, type MethodName } from '../../src/core/stretch/types'
import { voice, voiceReport } from '../../tests/support/voice'
import { levelReport, percentile, rms } from '../../tests/support/measure'
import { flatness, hiss, kurtosis, repetition, shower } from '../../tests/support/textures'
import { bandPiece, linePiece } from '../corpus/pieces'
import { sampledLines } from '../corpus/sampled'
import { canPlaySamples } from '../corpus/sampler'
import type { Piece } from '../corpus/types'
import { attacksOf, spectralDistance, toneOf } from './metrics'
import { references, type Stretching } from './references'

const RATE = 44100
const RATIO = 1.25

/** A method of ours with the attacks that the analysis finds. */
const ours =
  (method: MethodName): Stretching =>
  (channels, rate, ratio) => {
    const attacks = defaultAttacks(measure(channels, rate).transients, rate).map((t) => t.at)
    const length = channels[0]!.length
    const map = [
      { source: 0, target: 0 },
      { source: length, target: Math.round(length * ratio) },
    ]
    return stretchAudio({ channels, sampleRate: rate }, map, attacks, { ...DEFAULT_STRETCH, method })
  }

/** Where the onsets of a piece sound along a map with the attacks that are found, and with all of them given. */
function alongMap(method: MethodName, piece: Piece, map: TimeMap): void {
  const { channels, sampleRate } = piece
  const places = piece.onsets.map((t) => {
    const source = Math.round(t * sampleRate)
    return { source, target: Math.round(toTarget(map, source)) }
  })
  const along = (attacks: readonly number[]) => {
    const out = stretchAudio({ channels, sampleRate }, map, attacks, { ...DEFAULT_STRETCH, method })[0]!
    return attacksOf(channels[0]!, out, sampleRate, places)
  }
  const a = along(defaultAttacks(measure(channels, sampleRate).transients, sampleRate).map((t) => t.at))
  const given = along([...new Set(places.map((p) => p.source))].sort((p, q) => p - q))
  row([
    piece.name,
    method,
    a.median.toFixed(2),
    a.worst.toFixed(1),
    given.worst.toFixed(1),
    a.correlation.toFixed(4),
    given.least.toFixed(4),
    a.preEcho.toFixed(1),
    a.level.toFixed(1),
    a.rise.toFixed(2),
  ])
}

/** A map whose slope jumps between a quarter and four times at every second or so. */
function jumpy(length: number, rate: number, seed: number): TimeMap {
  const random = randomFrom(seed)
  const map = [{ source: 0, target: 0 }]
  for (let last = map[0]!; last.source < length; last = map[map.length - 1]!) {
    const source = Math.min(length, last.source + Math.round((0.3 + 1.4 * random()) * rate))
    const ratio = 4 ** (2 * random() - 1)
    map.push({ source, target: last.target + Math.max(1, Math.round((source - last.source) * ratio)) })
  }
  return map
}

/** Attacks at constant ratios and along jumpy maps. */
function attackMaps(): void {
  process.stdout.write('\nAttacks along maps\n')
  row(['signal', 'by', 'ms', 'worst ms', 'if given', 'wave', 'least given', 'before dB', 'peak dB', 'rise'])
  const all: [string, MethodName[], number[]][] = [
    ['drums', ['hits', 'cuts'], [0.5, 0.75, 1.5, 2]],
    ['guitar', ['chords', 'mix'], [0.75, 1.5]],
    ['piano', ['chords', 'mix'], [0.75, 1.5]],
    ['band', ['mix'], [0.75, 1.5]],
  ]
  for (const [name, methods, ratios] of all) {
    const piece = SIGNALS.find((s) => s.name === name)!.make()
    const length = piece.channels[0]!.length
    const maps: [string, TimeMap][] = ratios.map((r) => [
      `x${r}`,
      [
        { source: 0, target: 0 },
        { source: length, target: Math.round(length * r) },
      ],
    ])
    for (const seed of [1, 2, 3, 4]) maps.push([`jumpy ${seed}`, jumpy(length, RATE, seed)])
    for (const method of methods)
      for (const [what, map] of maps) alongMap(method, { ...piece, name: `${name} ${what}` }, map)
  }
}

const plan = { meter: '4/4', bpm: 104, feel: 'steady', bars: 4, bass: false, tune: null } as const
const SIGNALS: readonly { name: string; methods: readonly MethodName[]; make: () => Piece }[] = [
  {
    name: 'drums',
    methods: ['hits', 'cuts'],
    make: () => bandPiece('drums', { ...plan, groove: 'busy', chords: null }, 51),
  },
  {
    name: 'guitar',
    methods: ['chords', 'mix'],
    make: () => bandPiece('guitar', { ...plan, groove: null, chords: 'guitar' }, 52),
  },
  {
    name: 'piano',
    methods: ['chords', 'mix'],
    make: () => bandPiece('piano', { ...plan, groove: null, chords: 'piano' }, 53),
  },
  {
    name: 'band',
    methods: ['mix', 'chords'],
    make: () => bandPiece('band', { ...plan, groove: 'busy', chords: 'guitar', bass: true }, 54),
  },
  { name: 'bass', methods: ['line'], make: () => linePiece('bass', 'bass', 55) },
  { name: 'sung', methods: ['line'], make: () => linePiece('sung', 'sung', 56) },
]

const row = (cells: readonly string[]): void =>
  void process.stdout.write(`${cells.map((c, i) => (i < 2 ? c.padEnd(16) : c.padStart(10))).join(' ')}\n`)

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

async function quality(): Promise<void> {
  const others = await references()
  row([
    'signal',
    'by',
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
  for (const s of SIGNALS) {
    const piece = s.make()
    const entries: [string, Stretching][] = [
      ...s.methods.map((m): [string, Stretching] => [m, ours(m)]),
      ...Object.entries(others),
    ]
    for (const [name, stretch] of entries) {
      const out = stretch(piece.channels, RATE, RATIO)
      const x = piece.channels[0]!
      const y = out[0]!
      const d = spectralDistance(x, y, RATIO)
      const a = attacksOf(
        x,
        y,
        RATE,
        piece.onsets.map((t) => ({ source: Math.round(t * RATE), target: Math.round(t * RATE * RATIO) })),
      )
      const f0 = s.methods.includes('line') ? pitchError(x, y, RATIO).toFixed(1) : ''
      row([
        s.name,
        name,
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
  process.stdout.write('\nA sine of 440 Hz: residual dB, ripple dB, cents\n')
  const tone = sine(440, 4, RATE)
  const tones: [string, Stretching][] = [
    ...(['chords', 'mix', 'line'] as const).map((m): [string, Stretching] => [m, ours(m)]),
    ...Object.entries(others),
  ]
  for (const [name, stretch] of tones)
    for (const ratio of [0.75, 1.25]) {
      const t = toneOf(stretch([tone], RATE, ratio)[0]!, 440, RATE)
      row([name, String(ratio), t.residual.toFixed(1), t.ripple.toFixed(2), t.cents.toFixed(3)])
    }
}

/** Voices spoken by code: what stretching and transposing with kept formants do to them. */
function voices(): void {
  process.stdout.write('\nA voice with Line, formants kept (pitch is of the voice it should be)\n')
  row(['voice', 'asked for', 'f0 cents', 'formants %', 'sharpness', 'AM dB', 'onset ms', 'level dB'])
  for (const [hz, vibrato] of [
    [120, 0],
    [120, 40],
    [220, 40],
  ] as const)
    for (const [ratio, semitones] of [
      [0.75, 0],
      [1.25, 0],
      [1.5, 0],
      [1, 5],
      [1, -5],
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
        r.formants.toFixed(1),
        r.sharpness.toFixed(2),
        r.wavering.toFixed(2),
        r.consonants.toFixed(1),
        r.level.toFixed(1),
      ])
    }
}

/** Levels of single-note lines of every kind of instrument at other pitches. */
function playedLines(method: MethodName): void {
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
  for (const [name, x] of noises)
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
  process.stdout.write(`\nA stereo minute at 1.25, times real time (fft.js ${scaleOf().toFixed(0)} µs)\n`)
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
  for (const [name, stretch] of Object.entries(await references()))
    timed(name, () => stretch(minute.channels, RATE, RATIO))
}

export async function benchStretch(): Promise<void> {
  if (process.env.ONLY !== 'quality') await speed()
  if (process.env.ONLY === 'speed') return

  await quality()
  attackMaps()
  await textures()
  voices()
  for (const method of ['line', 'chords'] as const) playedLines(method)
}
