// Who gets which task when: long ones a worker to themselves, short ones in a queue on the least loaded.
import { beforeAll, describe, expect, it, vi } from 'vitest'
import { Cancelled } from '../../core/errors'
import { IN_HAND, WARM_ROUNDS, WorkerPool } from './pool'

vi.mock('comlink', () => ({ wrap: (w: unknown) => w, proxy: (x: unknown) => x }))
let made = 0
/** Rounds of getting ready that workers were asked for, and what ends them. */
const warmed: [number, number][] = []
const roundsEnd: (() => void)[] = []
beforeAll(() => {
  vi.stubGlobal(
    'Worker',
    class {
      readonly number = made++
      readonly warm = (round: number): Promise<void> => {
        warmed.push([this.number, round])
        return new Promise((done) => roundsEnd.push(done))
      }
    },
  )
})

/** A pool of two, what each worker was given in order, and how to finish tasks. */
function watched() {
  made = 0
  const pool = new WorkerPool(2)
  const given: number[] = []
  const finish: (() => void)[] = []
  const run = (short: boolean, signal?: AbortSignal): Promise<void> =>
    pool.run(
      (worker) => {
        given.push((worker as never as { number: number }).number)
        return new Promise<void>((done) => finish.push(done))
      },
      signal,
      short,
    )
  return { pool, given, finish, run }
}
const turn = (): Promise<void> => new Promise((done) => setTimeout(done, 0))

describe('the pool', () => {
  it('gives a long task a worker to itself, and the next one waits', async () => {
    const { given, finish, run } = watched()
    for (let i = 0; i < 3; i++) void run(false)
    expect(given).toEqual([0, 1])
    finish[1]!()
    await turn()
    expect(given).toEqual([0, 1, 1])
  })

  it('hands out short tasks ahead, evenly, up to so many a worker, and none beside a long one', async () => {
    const { given, finish, run } = watched()
    void run(false)
    for (let i = 0; i < IN_HAND + 3; i++) void run(true)
    expect(given).toEqual([0, ...new Array<number>(IN_HAND).fill(1)])
    finish[0]!()
    await turn()
    expect(given.slice(IN_HAND + 1)).toEqual([0, 0, 0])
  })

  it('lets no short task pass a long one that waits', async () => {
    const { given, finish, run } = watched()
    void run(true)
    void run(true)
    void run(false)
    void run(true)
    expect(given).toEqual([0, 1])
    finish[0]!()
    await turn()
    // The long one got the free worker, the short one went behind the other short one.
    expect(given).toEqual([0, 1, 0, 1])
  })

  it('drops what is cancelled while it waits', async () => {
    const { given, finish, run } = watched()
    void run(false)
    void run(false)
    const abort = new AbortController()
    const dropped = run(false, abort.signal)
    abort.abort()
    await expect(dropped).rejects.toBeInstanceOf(Cancelled)
    finish[0]!()
    await turn()
    expect(given).toEqual([0, 1])
  })

  it('gets its workers ready round by round, each until it has something to do', async () => {
    const { pool, given, run } = watched()
    pool.warm()
    void run(false)
    // A task need not wait for more than the round that is under way.
    expect(given).toEqual([0])
    for (let i = 0; i < 2 * WARM_ROUNDS; i++) {
      roundsEnd.shift()?.()
      await turn()
    }
    expect(warmed).toEqual([[0, 0], ...Array.from({ length: WARM_ROUNDS }, (_, round) => [1, round])])
  })
})
