// Traditional tunes, as the abcmidi package gives them among its examples (apt-get install abcmidi), played by a plucked
// string, a flute and, where the tune has chord symbols, a sampled band: melodies that nobody here made up.
import midi from '@tonejs/midi'
import { execFileSync } from 'node:child_process'
import { existsSync, mkdtempSync, readFileSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { chance } from './chance'
import { METERS } from './pieces'
import { byCode, bySamples } from './played'
import { canPlaySamples, type Event } from './sampler'
import type { Meter, Piece } from './types'

const EXAMPLES = '/usr/share/doc/abcmidi/examples'

/** True where the tunes and what reads them are installed. */
export const canReadTunes = (): boolean => existsSync('/usr/bin/abc2midi') && existsSync(EXAMPLES)

interface Tune {
  readonly file: string
  /** Which tune of the file (its X: field). */
  readonly number: number
  /** The K: field where it is major or minor; left out for a mode that is neither. */
  readonly key?: Piece['key'] | undefined
  readonly meter: Meter
  /** Beats before the first bar line. */
  readonly pickup: number
  /** True where it has chord symbols, or parts, for a band to play. */
  readonly band?: boolean
}

const major = (tonic: number): Tune['key'] => ({ tonic, mode: 'major' })
const minor = (tonic: number): Tune['key'] => ({ tonic, mode: 'minor' })
const [COMMON, JIG, QUICK] = [METERS['4/4']!, METERS['6/8']!, { beatsPerBar: 3, beatUnit: 8 }]

/** Keys and meters as the files state them; `araber` is in a mode that is neither major nor minor. */
const TUNES: readonly Tune[] = [
  { file: 'coleraine', number: 8, key: minor(9), meter: JIG, pickup: 1, band: true },
  { file: 'boys', number: 3, key: minor(9), meter: JIG, pickup: 1 },
  { file: 'dergasn', number: 145, key: minor(2), meter: QUICK, pickup: 1.5, band: true },
  { file: 'araber', number: 47, meter: COMMON, pickup: 1, band: true },
  { file: 'demo', number: 2, key: major(7), meter: COMMON, pickup: 0 },
  { file: 'demo', number: 3, key: major(2), meter: JIG, pickup: 1 },
  { file: 'demo', number: 4, key: major(7), meter: COMMON, pickup: 1, band: true },
  { file: 'demo', number: 5, key: major(0), meter: COMMON, pickup: 1 },
  { file: 'demo', number: 6, key: major(7), meter: COMMON, pickup: 1, band: true },
  { file: 'demo', number: 8, key: major(7), meter: COMMON, pickup: 2, band: true },
  { file: 'demo', number: 10, key: major(9), meter: COMMON, pickup: 1, band: true },
  { file: 'demo', number: 12, key: minor(2), meter: COMMON, pickup: 0, band: true },
]

/** Nothing sounds before, seconds. */
const LEAD = 0.2
/** Human looseness, seconds (spread). */
const LOOSE = 0.005
/** General MIDI programs of the band by channel of what abc2midi writes: guitar, bass, piano. */
const BAND = new Map([
  [0, 24],
  [1, 32],
  [2, 0],
  [3, 0],
])

/** Reads a tune as a MIDI file with its chord symbols played, without drums. */
function read({ file, number }: Tune): InstanceType<typeof midi.Midi> {
  const folder = mkdtempSync(path.join(tmpdir(), 'tunes-'))
  try {
    const out = path.join(folder, 'tune.mid')
    execFileSync('abc2midi', [path.join(EXAMPLES, `${file}.abc`), String(number), '-o', out], {
      stdio: 'ignore',
    })
    return new midi.Midi(readFileSync(out))
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}

/** A tune in a key and with an unevenness of its own. */
function played(tune: Tune, voice: 'string' | 'flute' | 'band', seed: number): Piece {
  const random = chance(seed)
  const up = random.whole(-4, 4)
  const source = read(tune)
  const quarter = 60 / (source.header.tempos[0]?.bpm ?? 120)
  const at = (ticks: number): number => LEAD + (ticks / source.header.ppq) * quarter
  const events: Event[] = source.tracks
    .filter((t) => t.channel !== 9)
    .flatMap((t) =>
      t.notes
        .filter((n) => n.midi > 20)
        .map((n) => {
          const start = at(n.ticks) + random.loose(LOOSE)
          const end = Math.max(start + 0.05, at(n.ticks + n.durationTicks))
          return { start, end, midi: n.midi + up, level: 0.9 * n.velocity, channel: t.channel }
        }),
    )
    .sort((a, b) => a.start - b.start)
  const end = Math.max(...events.map((e) => e.end))
  const sound = voice === 'band' ? bySamples(events, BAND) : byCode(events, voice, seed)
  const beat = (4 * quarter) / tune.meter.beatUnit
  const first = LEAD + (tune.pickup % 1) * beat
  const numbers = Array.from(
    { length: Math.ceil((end - first) / beat) },
    (_, i) => i - Math.floor(tune.pickup),
  )
  const beats = numbers.map((_, i) => first + i * beat)
  return {
    name: `${tune.file} ${tune.number} ${voice}`,
    loop: false,
    sampleRate: 44100,
    ...sound,
    ...(tune.key ? { key: { ...tune.key, tonic: (tune.key.tonic + up + 12) % 12 } } : {}),
    bpm: 60 / beat,
    steady: true,
    beats,
    downbeats: beats.filter((_, i) => numbers[i]! % tune.meter.beatsPerBar === 0),
    meter: tune.meter,
  }
}

/** Makers of the tunes as they are played alone, by a string and a flute, and by a band where one has something to play. */
export function tunesFrom(seed: number): (() => Piece)[] {
  const voices = ['string', 'flute', ...(canPlaySamples() ? (['band'] as const) : [])] as const
  return voices.flatMap((voice) =>
    TUNES.flatMap((tune, i) => (voice === 'band' && !tune.band ? [] : [() => played(tune, voice, seed + i)])),
  )
}
