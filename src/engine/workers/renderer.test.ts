// The renderer and the export over a pool that works in this thread.
import { describe, expect, it } from 'vitest'
import { struck } from '../../../tests/support/signals'
import { readWav } from '../../core/audio/wav-read'
import { Cancelled } from '../../core/errors'
import { mixRange, piecesIn } from '../../core/render/mix'
import { renderPiece } from '../../core/render/piece'
import { planSession, type Piece, type Plan } from '../../core/render/plan'
import { newSession, newTrack } from '../../core/session/create'
import { addTrack } from '../../core/session/edits'
import { moveNote } from '../../core/session/pin-edits'
import { isVerbatim } from '../../core/stretch/spans'
import { beats, samples } from '../../core/units'
import { exportWav } from '../export'
import type { WorkerPool } from './pool'
import { Renderer } from './renderer'

const played = struck(7, 3, 44100, 2)
const audio = { sampleRate: 44100, channels: played.channels }

function planned(): Plan {
  const recording = {
    id: 'r',
    name: 'r',
    sampleRate: 44100,
    channels: 2,
    length: samples(3 * 44100),
    coding: '',
  }
  let session = addTrack(newSession('s', 's', 44100), recording, newTrack('t', recording))
  for (const k of [2, 5, 8]) {
    const [a, n, b] = [k - 1, k, k + 1].map((i) => samples(played.attacks[i]!))
    session = moveNote(session, 't-1', n!, beats((n! / 44100) * 2 + 0.08), [a!, b!])
  }
  const found = played.attacks.map((at) => ({ at: samples(at), strength: 0.9 }))
  return planSession(session, () => found, { quality: 'fine' })
}

/** A pool of `size` "workers" that take turns; remembers what it was asked for. */
function fakePool(size: number, failing?: string) {
  const asked: string[] = []
  const batches: (readonly Piece[])[] = []
  const pool = {
    size,
    run: async (task: (w: unknown, flag: Int32Array) => Promise<unknown>, signal?: AbortSignal) => {
      const worker = {
        render: async (pieces: readonly Piece[]) => {
          asked.push(...pieces.map((p) => p.key))
          batches.push(pieces)
          await new Promise((done) => setTimeout(done, asked.length % 3))
          if (pieces.some((p) => p.key === failing)) throw new Error('broken')
          return pieces.map((p) => renderPiece(p, () => audio))
        },
      }
      const out = await task(worker, new Int32Array(1))
      if (signal?.aborted) throw new Cancelled()
      return out
    },
  }
  return { pool: pool as unknown as WorkerPool, asked, batches }
}

const settled = async (done: () => boolean): Promise<void> => {
  while (!done()) await new Promise((r) => setTimeout(r, 2))
}

describe('the renderer', () => {
  const plan = planned()
  const pieces = piecesIn(plan, plan.start, plan.end)
  const rendered = pieces.filter((p) => !isVerbatim(p.span, p.settings))

  it('serves unstretched pieces from the recording and renders the others once, in the order they are wanted', async () => {
    const { pool, asked } = fakePool(1)
    const r = new Renderer(pool, () => audio)
    const wanted = [...pieces].reverse()
    r.want(wanted)
    await settled(() => pieces.every((p) => r.samples(p)))
    expect(asked).toEqual(wanted.filter((p) => rendered.includes(p)).map((p) => p.key))
    r.want(pieces)
    expect(asked).toHaveLength(rendered.length)
    const still = pieces.find((p) => !rendered.includes(p))!
    expect(r.samples(still)![0]!.buffer).toBe(audio.channels[0]!.buffer)
  })

  it('gives up what is no longer wanted', async () => {
    const { pool } = fakePool(1)
    const r = new Renderer(pool, () => audio)
    const errors: unknown[] = []
    r.onError = (e) => errors.push(e)
    r.want([rendered[0]!, rendered[1]!])
    r.want([rendered[2]!])
    await settled(() => r.samples(rendered[2]!) !== undefined)
    expect(r.samples(rendered[0]!)).toBeUndefined()
    expect(r.samples(rendered[1]!)).toBeUndefined()
    expect(errors).toEqual([])
  })

  it('sends pieces by the dozen, never more than so much sound at once', async () => {
    const { pool, batches } = fakePool(1)
    const r = new Renderer(pool, () => audio)
    const short = Array.from({ length: 40 }, (_, i): Piece => {
      const span = { ...rendered[0]!.span, to: rendered[0]!.span.from + 400 + i, length: 500 }
      return { ...rendered[0]!, key: `short ${i}`, span }
    })
    const long = [0, 1].map((i): Piece => {
      const span = { ...rendered[0]!.span, from: 0, to: 60000 + i, length: 70000 }
      return { ...rendered[0]!, key: `long ${i}`, span }
    })
    const all = [...short.slice(0, 3), ...long, ...short.slice(3)]
    r.want(all)
    await settled(() => all.every((p) => r.samples(p)))
    expect(batches.map((b) => b.length)).toEqual([3, 1, 1, 16, 16, 5])
    for (const p of all) expect(r.samples(p)).toEqual(renderPiece(p, () => audio))
  })

  it('renders what was sent with a piece that fails, and tells of that one once', async () => {
    const failing = rendered[1]!
    const { pool, batches } = fakePool(1, failing.key)
    const r = new Renderer(pool, () => audio)
    const errors: unknown[] = []
    r.onError = (e) => errors.push(e)
    r.want(pieces)
    await settled(() => errors.length > 0 && rendered.every((p) => p === failing || r.samples(p)))
    const sent = batches.length
    r.want(pieces)
    await new Promise((done) => setTimeout(done, 20))
    expect([errors.length, batches.length]).toEqual([1, sent])
    expect(r.samples(failing)).toBeUndefined()
  })

  it('waits for recordings that are still being read', async () => {
    let known = false
    const { pool, asked } = fakePool(1)
    const r = new Renderer(pool, () => (known ? audio : undefined))
    r.want(pieces)
    expect(asked).toEqual([])
    known = true
    r.want(pieces)
    await settled(() => rendered.every((p) => r.samples(p)))
  })

  it('goes on with a batch of which anything is still wanted', async () => {
    const { pool, batches } = fakePool(1)
    const r = new Renderer(pool, () => audio)
    const [a, b] = rendered
    r.want([a!, b!])
    r.want([b!])
    await settled(() => r.samples(b!) !== undefined)
    expect(batches).toEqual([[a, b]])
    expect(r.samples(a!)).toBeDefined()
  })

  it('exports the mix, the same bytes with one worker or four', async () => {
    const files = await Promise.all(
      [1, 4].map(async (size) => {
        const seen: number[] = []
        const range = { from: 1000, to: plan.end - 777 }
        const renderer = new Renderer(fakePool(size).pool, () => audio)
        const out = await exportWav(
          plan,
          renderer,
          range,
          '32f',
          (p) => seen.push(p),
          new AbortController().signal,
        )
        expect(seen.at(-1)).toBe(1)
        return { ...out, bytes: new Uint8Array(await out.file.arrayBuffer()) }
      }),
    )
    expect(files[0]!.checksum).toBe(files[1]!.checksum)
    const cache = new Map(pieces.map((p) => [p.key, renderPiece(p, () => audio)]))
    const direct = mixRange(plan, (p) => cache.get(p.key), 1000, plan.end - 777)!
    expect(readWav(files[0]!.bytes).audio.channels).toEqual(direct)
  })

  it('stops an export that is cancelled', async () => {
    const abort = new AbortController()
    const renderer = new Renderer(fakePool(2).pool, () => audio)
    const work = exportWav(plan, renderer, { from: 0, to: plan.end }, '24', () => abort.abort(), abort.signal)
    await expect(work).rejects.toBeInstanceOf(Cancelled)
  })
})
