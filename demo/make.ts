// Writes the demo recordings and their truth to build/demo.
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { writeWav } from '../src/core/audio/wav-write'
import { jig, JIG_RATE } from './jig'
import { LOOP_RATE, loops } from './loops'
import { BARS, BPM, PRE_ROLL, SAMPLE_RATE, slackWater } from './slack-water'

const folder = process.argv[2] ?? 'build/demo'
const slug = (name: string): string => name.toLowerCase().replace(/[^a-z0-9.]+/g, '-')
mkdirSync(folder, { recursive: true })

const COLUMNS = 120
/** What was written since the last truth, for the picture on its card. */
let drawn: Float32Array[] = []
/** Largest level of each of 120 even slices of the longest recording, one row a recording. */
function picture(): number[][] {
  const step = Math.max(...drawn.map((d) => d.length)) / COLUMNS
  const rows = drawn.map((d) =>
    Array.from({ length: COLUMNS }, (_, c) => {
      const slice = d.subarray(Math.floor(c * step), Math.floor((c + 1) * step))
      return Math.round(100 * slice.reduce((top, v) => Math.max(top, Math.abs(v)), 0)) / 100
    }),
  )
  drawn = []
  return rows
}

let written = 0
function wav(file: string, channels: readonly Float32Array[], sampleRate: number): string {
  writeFileSync(join(folder, file), writeWav({ sampleRate, channels }, '24'))
  written++
  drawn.push(channels[0]!)
  return file
}
const truth = (file: string, value: object): void =>
  writeFileSync(join(folder, file), JSON.stringify({ ...value, picture: picture() }, null, 1))

truth('slack-water.json', {
  name: 'Slack Water',
  desk: 'timing',
  bpm: BPM,
  bars: BARS,
  meter: [4, 4],
  preRoll: PRE_ROLL,
  sampleRate: SAMPLE_RATE,
  beats: Array.from({ length: BARS * 4 }, (_, beat) => ({ beat, time: PRE_ROLL + (beat * 60) / BPM })),
  tracks: slackWater().map((t) => ({
    name: t.name,
    file: wav(`slack-water-${slug(t.name)}.wav`, t.channels, SAMPLE_RATE),
    method: t.method,
    onsets: t.onsets,
  })),
})

const reedcutters = jig()
truth('reedcutters.json', {
  name: reedcutters.name,
  desk: 'tempo',
  // As a new session has them: nothing of the jig is known yet.
  bpm: 120,
  meter: [4, 4],
  preRoll: 0,
  sampleRate: JIG_RATE,
  beats: reedcutters.beats,
  tracks: reedcutters.tracks.map((t) => ({
    name: t.name,
    file: wav(`reedcutters-${slug(t.name)}.wav`, t.channels, JIG_RATE),
    method: t.method,
    onsets: t.onsets,
  })),
})

truth('odd-loops.json', {
  name: 'Odd loops',
  desk: 'tempo',
  bpm: 100,
  meter: [4, 4],
  preRoll: 0,
  sampleRate: LOOP_RATE,
  tracks: loops().map((l) => ({
    name: l.name,
    file: wav(`${slug(l.name)}.wav`, [l.samples], LOOP_RATE),
    method: l.method,
    bpm: l.bpm,
    beats: l.beats,
    onsets: l.onsets,
    fault: l.fault,
  })),
})
process.stdout.write(`Wrote ${written} recordings and their truth to ${folder}\n`)
