// An analysis on workers that work in this thread: what is shared out comes together again.
import { beforeAll, describe, expect, it, vi } from 'vitest'
import { strokes, struck } from '../../../tests/support/signals'
import { analyse } from '../../core/analysis/analyse'
import { placesOf, type Found, type Transient } from '../../core/analysis/transients'
import type { AudioData } from '../../core/audio/buffer'
import { Cancelled } from '../../core/errors'
import { analyseRecording } from './analysis'
import type { Claims } from './claims'
import type { WorkerPool } from './pool'
import { sharedCopy } from './shared'
import { together, TOGETHER } from './sharing'
import type { Tasks } from './tasks'

const given = vi.hoisted(() => ({ tasks: undefined as unknown }))
vi.mock('comlink', () => ({
  expose: (tasks: unknown) => void (given.tasks = tasks),
  transfer: (x: unknown) => x,
  proxy: (x: unknown) => x,
  wrap: (x: unknown) => x,
}))
beforeAll(async () => {
  await import('./worker')
})

const pool = {
  size: 2,
  run: (task: (w: Tasks, flag: Int32Array) => Promise<unknown>) =>
    task(given.tasks as Tasks, new Int32Array(1)),
} as unknown as WorkerPool

const inShared = (channels: readonly Float32Array[]): AudioData => ({
  sampleRate: 44100,
  channels: channels.map(sharedCopy),
})

it('a worker gets ready for its usual work without a fault, which its page would not hear of', async () => {
  const { warm } = given.tasks as Tasks
  for (const round of [0, 1]) await expect(warm(round, null)).resolves.toBeUndefined()
  await expect(warm(2, Int32Array.of(1))).rejects.toBeInstanceOf(Cancelled)
})

describe('an analysis on workers', () => {
  it('finds what one finds alone, and tells the transients once, as they stay', async () => {
    // Long enough to be shared; several strokes each time, which must not be told without the later ones.
    const hits = Array.from({ length: 28 }, (_, k) =>
      [0, 0.024, 0.047, 0.072].map((late, s): [number, number] => [0.5 + 0.75 * k + late, 0.4 + 0.05 * s]),
    )
    const played = [strokes(22, 44100, ...hits.flat())]
    const told: (readonly Transient[])[] = []
    const shares: number[] = []
    const found = await analyseRecording(pool, inShared(played), [], {
      progress: (share) => shares.push(share),
      signal: new AbortController().signal,
      transients: (t) => told.push(t),
    })
    const alone = analyse(played, 44100)
    expect(found.transients.some((t) => t.parts)).toBe(true)
    expect(told).toEqual([found.transients])
    expect(found.transients).toEqual(alone.transients)
    expect(found.tempo.bpm).toBeCloseTo(alone.tempo.bpm, 3)
    expect(found.notes.length).toBe(alone.notes.length)
    expect([...shares].sort((a, b) => a - b)).toEqual(shares)
    expect(shares.at(-1)).toBeGreaterThan(0.9)
  })

  const audio = inShared(struck(3, 12, 44100, 1).channels)
  const list = Array.from({ length: 5 * TOGETHER + 3 }, (_, i): Found => ({
    rough: 2000 + i * 3000,
    cause: 'flux',
    strength: 0.9,
  }))
  const places = placesOf(list, audio.channels, audio.sampleRate)
  const help = (begin: (claims: Claims) => void, from: (who: number) => Promise<unknown>) =>
    ({
      begin: async (_work: string, _list: unknown, c: Claims) => begin(c),
      from: (_work: string, who: number) => from(who),
    }) as never

  it('puts together in order what another has taken of a list', async () => {
    // Somebody has taken the second and the fourth piece before the first is begun here; what they made can be told.
    const taken = [1, 3]
    const made = places.map((p, i) =>
      taken.includes(Math.floor(i / TOGETHER)) ? { ...p, at: p.at + 0.5 } : p,
    )
    const theirs = new Map(taken.map((k) => [k, made.slice(k * TOGETHER, (k + 1) * TOGETHER)]))
    const helping = help(
      (claims) => {
        for (const k of taken) claims[k] = 2
      },
      async (who) => {
        expect(who).toBe(2)
        return theirs
      },
    )
    expect(await together('places', audio, list, helping, () => undefined)).toEqual(made)
  })

  it('waits for nobody who has not begun', async () => {
    const helping = help(
      () => undefined,
      () => new Promise(() => undefined),
    )
    expect(await together('places', audio, list, helping, () => undefined)).toEqual(places)
    expect(await together('places', audio, list, null, () => undefined)).toEqual(places)
  })
})
