// Files through workers that work in this thread: samples, peaks and the copy that is kept.
import { beforeAll, expect, it, vi } from 'vitest'
import { noise } from '../../../tests/support/signals'
import { buildPeaks, type Peaks } from '../../core/audio/peaks'
import { readWav } from '../../core/audio/wav-read'
import { writeWav } from '../../core/audio/wav-write'
import { hashAudio } from '../../core/hash'
import type { WorkerPool } from '../workers/pool'
import type { Tasks } from '../workers/tasks'
import { decodeFile, decodeKept } from './decode'

const given = vi.hoisted(() => ({ tasks: undefined as unknown }))
vi.mock('comlink', () => ({
  expose: (tasks: unknown) => void (given.tasks = tasks),
  transfer: (x: unknown) => x,
  proxy: (x: unknown) => x,
  wrap: (x: unknown) => x,
}))
beforeAll(async () => {
  await import('../workers/worker')
})
const pool = {
  size: 2,
  run: (task: (w: Tasks, flag: null) => Promise<unknown>) => task(given.tasks as Tasks, null),
} as unknown as WorkerPool

/** Peaks told in few words: comparing millions of numbers one by one takes long. */
const shapesOf = (all: readonly Peaks[]) =>
  all.map(({ length, levels }) => [length, ...levels.map((l) => [l.block, hashAudio([l.values], 1)])])

/** Long enough for several pieces, with an odd count of bytes and a chunk after the samples. */
function takeOf(seconds: number): Uint8Array<ArrayBuffer> {
  const samples = noise(seconds, 44100, 0.5, 3)
  const wav = writeWav({ sampleRate: 44100, channels: [samples.subarray(0, samples.length | 1)] }, '24')
  return Uint8Array.from([...wav, ...[...'note'].map((c) => c.charCodeAt(0)), 4, 0, 0, 0, 1, 2, 3, 4])
}

it('a file in pieces has its samples, its peaks and its hash, and is kept byte for byte', async () => {
  const bytes = takeOf(100)
  const { channels } = readWav(bytes).audio
  const id = hashAudio(channels, 44100)
  const read = await decodeFile(new File([bytes], 'Take.wav'), pool)
  expect(bytes.length).toBeGreaterThan(8e6)
  expect(read).toMatchObject({ id, coding: '24-bit', warnings: [], taggedBpm: null })
  expect(read.audio.channels[0]!.every((v, i) => v === channels[0]![i])).toBe(true)
  expect(shapesOf(read.peaks!)).toEqual(shapesOf(channels.map(buildPeaks)))
  const copy = new Uint8Array(await read.file!.arrayBuffer())
  expect(copy.length).toBe(bytes.length)
  expect(copy.every((b, i) => b === bytes[i])).toBe(true)
  const kept = await decodeKept(read.file!, id, pool)
  expect(hashAudio(kept.audio.channels, 44100)).toBe(id)
  expect(shapesOf(kept.peaks)).toEqual(shapesOf(read.peaks!))
})

it('a kept file that is no longer the same is told of', async () => {
  const bytes = takeOf(0.1)
  const { audio } = readWav(bytes)
  bytes[1000]! ^= 1
  const id = hashAudio(audio.channels, 44100)
  await expect(decodeKept(new Blob([bytes]), id, pool)).rejects.toThrow(/damaged in this browser/)
})
