// Recordings that others made, from a folder: ours by the suggested method against the libraries.
import { readdirSync } from 'node:fs'
import path from 'node:path'
import { materialOf, measure } from '../../src/core/analysis/analyse'
import { readAudio } from '../../src/cli/files'
import { db, rms } from '../../tests/support/measure'
import { attacksOf, spectralDistance } from './metrics'
import { references, type Stretching } from './references'
import { attacksFor, ours, row } from './signals'

const RATIOS = [0.75, 1.25, 1.5]
/** Shorter ones are single sounds; of longer ones so much is taken, seconds. */
const SHORTEST = 2
const MOST = 10

/** Every recording of a folder that is long enough. @param folder of WAV, AIFF and FLAC files */
async function recordingsIn(folder: string) {
  const names = readdirSync(folder).filter((name) => /\.(wav|aiff?|flac)$/i.test(name))
  const all = []
  for (const name of names.sort()) {
    const { audio } = await readAudio(path.join(folder, name))
    const { channels, sampleRate } = audio
    if (channels[0]!.length < SHORTEST * sampleRate) continue
    const cut = channels.map((x) => x.slice(0, MOST * sampleRate))
    // Silence has no distance from anything.
    if (rms(cut[0]!) > 1e-4) all.push({ name, channels: cut, sampleRate })
  }
  return all
}

export async function recordings(folder: string): Promise<void> {
  process.stdout.write(`\nRecordings of ${folder}: attacks as found\n`)
  row([
    'recording',
    'by',
    'ratio',
    'LSD dB',
    'best',
    'converge',
    'best',
    'worst ms',
    'wave',
    'before dB',
    'level dB',
  ])
  const others = Object.values(await references())
  const nearer = new Map<string, [count: number, distance: number, convergence: number]>()
  for (const { name, channels, sampleRate } of await recordingsIn(folder)) {
    const found = measure(channels, sampleRate)
    const method = materialOf(channels, sampleRate, found).suggested
    const attacks = attacksFor(method, found.transients, sampleRate)
    for (const ratio of RATIOS) {
      const of = (stretch: Stretching) => {
        const y = stretch(channels, sampleRate, ratio)[0]!
        return { y, ...spectralDistance(channels[0]!, y, ratio) }
      }
      const own = of(ours(method))
      const best = others.map(of)
      const distance = Math.min(...best.map((d) => d.distance))
      const convergence = Math.min(...best.map((d) => d.convergence))
      const so = nearer.get(method) ?? [0, 0, 0]
      nearer.set(method, [
        so[0] + 1,
        so[1] + Number(own.distance < distance),
        so[2] + Number(own.convergence < convergence),
      ])
      const a = attacksOf(
        channels[0]!,
        own.y,
        sampleRate,
        attacks.map((source) => ({ source, target: Math.round(source * ratio) })),
      )
      const some = Number.isFinite(a.worst)
      row([
        name.slice(0, 16),
        method,
        String(ratio),
        own.distance.toFixed(2),
        distance.toFixed(2),
        own.convergence.toFixed(3),
        convergence.toFixed(3),
        ...[a.worst.toFixed(1), a.correlation.toFixed(3), a.preEcho.toFixed(1)].map((v) => (some ? v : '')),
        db(rms(own.y) / rms(channels[0]!)).toFixed(2),
      ])
    }
  }
  process.stdout.write('Nearer than the best, in distance and in convergence\n')
  for (const [method, [count, distance, convergence]] of nearer)
    process.stdout.write(`${method}: ${distance} and ${convergence} of ${count}\n`)
}
