// Work in pieces on a pool: whoever is free does it, nobody waits for who has not begun.
import { describe, expect, it } from 'vitest'
import { Cancelled } from '../../core/errors'
import { doFree } from './claims'
import { inPieces, type Asked } from './in-pieces'
import type { WorkerPool, WorkerTask } from './pool'

/** A pool of two of which the second begins only when it is let. */
function poolOf(second: Promise<void> = Promise.resolve()): WorkerPool {
  let asked = 0
  const run = async <T>(task: WorkerTask<T>, signal?: AbortSignal): Promise<T> => {
    if (asked++ % 2 === 1) await second
    if (signal?.aborted) throw new Cancelled()
    return task(undefined as never, null)
  }
  return { size: 2, run } as unknown as WorkerPool
}
const makes =
  (work: (piece: number, who: number) => string) =>
  ({ claims, who }: Asked): Promise<Map<number, string>> =>
    doFree(claims ?? new Int32Array(1), who, (piece) => work(piece, who))

describe('work in pieces', () => {
  it('is done by both, once each, and comes back in order', async () => {
    const seen: number[] = []
    const made = await inPieces(
      poolOf(),
      7,
      makes((piece, who) => {
        seen.push(piece)
        return `${piece} by ${who}`
      }),
    )
    expect(made.map((m) => Number(m[0]))).toEqual([0, 1, 2, 3, 4, 5, 6])
    expect(new Set(made.map((m) => m.slice(2)))).toEqual(new Set(['by 1', 'by 2']))
    expect(seen.sort()).toEqual([0, 1, 2, 3, 4, 5, 6])
  })

  it('does not wait for a worker that is busy with something else', async () => {
    const made = await inPieces(
      poolOf(new Promise(() => undefined)),
      3,
      makes((p, who) => `${p} by ${who}`),
    )
    expect(made).toEqual(['0 by 1', '1 by 1', '2 by 1'])
  })

  it('of one piece is asked of one', async () => {
    const asked: Asked[] = []
    const made = await inPieces(poolOf(), 1, async (a) => {
      asked.push(a)
      return new Map([[0, 'made']])
    })
    expect(made).toEqual(['made'])
    expect(asked.map(({ claims, who }) => [claims, who])).toEqual([[null, 1]])
  })

  it('fails when a piece fails, and is cancelled when it is', async () => {
    const fails = makes((piece) => {
      if (piece === 1) throw new Error('damaged')
      return ''
    })
    await expect(inPieces(poolOf(), 4, fails)).rejects.toThrow('damaged')
    const gone = AbortSignal.abort()
    await expect(
      inPieces(
        poolOf(),
        4,
        makes(() => ''),
        gone,
      ),
    ).rejects.toBeInstanceOf(Cancelled)
  })
})
