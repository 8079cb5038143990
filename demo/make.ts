// Writes the demo recordings and their truth to build/demo.
import { mkdirSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { writeWav } from '../src/core/audio/wav-write'
import { BARS, BPM, PRE_ROLL, SAMPLE_RATE, slackWater } from './slack-water'

const folder = process.argv[2] ?? 'build/demo'
const slug = (name: string): string => name.toLowerCase().replace(/\W+/g, '-')

mkdirSync(folder, { recursive: true })
const tracks = slackWater().map((track) => {
  const file = `slack-water-${slug(track.name)}.wav`
  writeFileSync(join(folder, file), writeWav({ sampleRate: SAMPLE_RATE, channels: track.channels }, '24'))
  return { name: track.name, file, method: track.method, onsets: track.onsets }
})
const beats = Array.from({ length: BARS * 4 }, (_, beat) => ({ beat, time: PRE_ROLL + (beat * 60) / BPM }))
const truth = {
  name: 'Slack Water',
  bpm: BPM,
  bars: BARS,
  meter: [4, 4],
  preRoll: PRE_ROLL,
  sampleRate: SAMPLE_RATE,
  beats,
  tracks,
}
writeFileSync(join(folder, 'slack-water.json'), JSON.stringify(truth, null, 1))
process.stdout.write(`Wrote ${tracks.length} recordings and their truth to ${folder}\n`)
