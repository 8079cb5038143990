// Who gets which task when: long ones a worker to themselves, short ones in a queue on the least loaded.
import { beforeAll, describe, expect, it, vi } from 'vitest'
import { Cancelled } from '../../core/errors'
import { IN_HAND, WARM_ROUNDS, WorkerPool, type Manner } from './pool'

vi.mock('comlink', () => ({ wrap: (w: unknown) => w, proxy: (x: unknown) => x }))
let made = 0
/** Rounds of getting ready that workers were asked for, and what ends them. */
const warmed: [number, number][] = []
const roundsEnd: (() => void)[] = []
/** What tells each worker to leave it. */
const ends: Int32Array[] = []
beforeAll(() => {
  vi.stubGlobal(
    'Worker',
    class {
      readonly number = made++
      readonly warm = (round: number, flag: Int32Array): Promise<void> => {
        warmed.push([this.number, round])
        ends[this.number] = flag
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
  const run = (manner: Manner, signal?: AbortSignal): Promise<void> =>
    pool.run(
      (worker) => {
        given.push((worker as never as { number: number }).number)
        return new Promise<void>((done) => finish.push(done))
      },
      signal,
      manner,
    )
  return { pool, given, finish, run }
}
const turn = (): Promise<void> => new Promise((done) => setTimeout(done, 0))

describe('the pool', () => {
  it('gives a long task a worker to itself, and the next one waits', async () => {
    const { given, finish, run } = watched()
    for (let i = 0; i < 3; i++) void run('alone')
    expect(given).toEqual([0, 1])
    finish[1]!()
    await turn()
    expect(given).toEqual([0, 1, 1])
  })

  it('hands out short tasks ahead, evenly, up to so many a worker, and none beside a long one', async () => {
    const { given, finish, run } = watched()
    void run('alone')
    for (let i = 0; i < IN_HAND + 3; i++) void run('short')
    expect(given).toEqual([0, ...new Array<number>(IN_HAND).fill(1)])
    finish[0]!()
    await turn()
    expect(given.slice(IN_HAND + 1)).toEqual([0, 0, 0])
  })

  it('lets no short task pass a long one that waits', async () => {
    const { given, finish, run } = watched()
    void run('short')
    void run('short')
    void run('alone')
    void run('short')
    expect(given).toEqual([0, 1])
    finish[0]!()
    await turn()
    // The long one got the free worker, the short one went behind the other short one.
    expect(given).toEqual([0, 1, 0, 1])
  })

  it('lets short tasks pass long ones that wait, on workers whose long task yields', async () => {
    const { given, finish, run } = watched()
    void run('yielding')
    void run('yielding')
    void run('yielding')
    for (let i = 0; i < 2 * IN_HAND; i++) void run('short')
    // Each worker has a long one and as many short ones as it may have in hand; the others wait.
    expect([...given].sort()).toEqual([...new Array(IN_HAND).fill(0), ...new Array(IN_HAND).fill(1)])
    for (const done of finish.splice(2)) done()
    await turn()
    expect(given).toHaveLength(2 * IN_HAND + 2)
    // The third goes to a worker as soon as that has nothing else in hand.
    for (const done of finish.splice(2)) done()
    finish.shift()!()
    await turn()
    expect(given.at(-1)).toBe(0)
    expect(given).toHaveLength(2 * IN_HAND + 3)
  })

  it('drops what is cancelled while it waits', async () => {
    const { given, finish, run } = watched()
    void run('alone')
    void run('alone')
    const abort = new AbortController()
    const dropped = run('alone', abort.signal)
    abort.abort()
    await expect(dropped).rejects.toBeInstanceOf(Cancelled)
    finish[0]!()
    await turn()
    expect(given).toEqual([0, 1])
  })

  it('gets its workers ready round by round, each until it has something to do', async () => {
    const { pool, given, run } = watched()
    pool.warm()
    void run('alone')
    // A task need not wait: the round that is under way is told to end.
    expect(given).toEqual([0])
    expect(ends.map(([flag]) => flag)).toEqual([1, 0])
    for (let i = 0; i < 2 * WARM_ROUNDS; i++) {
      roundsEnd.shift()?.()
      await turn()
    }
    expect(warmed).toEqual([[0, 0], ...Array.from({ length: WARM_ROUNDS }, (_, round) => [1, round])])
  })
})
