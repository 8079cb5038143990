// A pool of workers: runs tasks on whichever is free, first come first served, cancellable.
import { proxy, wrap, type Remote } from 'comlink'
import { Cancelled, InputError } from '../../core/errors'
import type { AudioData } from '../../core/audio/buffer'
import type { CancelFlag, Tasks } from './tasks'

export { proxy }
export type WorkerTask<T> = (worker: Remote<Tasks>, flag: CancelFlag) => Promise<T>

/**
 * How a task shares its worker. A short one may be sent before the worker is free, so that it need not wait for a busy
 * page in between; one that yields pauses now and then for such.
 */
export type Manner = 'alone' | 'yielding' | 'short'

interface Waiting {
  readonly manner: Manner
  run(worker: Remote<Tasks>): Promise<void>
}

/** Tasks that a worker may have in hand, a long one among them if that yields. */
export const IN_HAND = 3

/** Rounds of getting ready. */
export const WARM_ROUNDS = 8

/** Errors cross from workers as plain ones; their names tell what they were. */
function revived(e: unknown): unknown {
  const error = e as Error
  if (error?.name === 'InputError') return new InputError(error.message)
  if (error?.name === 'Cancelled') return new Cancelled()
  return e
}

const newFlag = (): CancelFlag =>
  typeof SharedArrayBuffer === 'undefined' ? null : new Int32Array(new SharedArrayBuffer(4))

const raise = (flag: CancelFlag): void => {
  if (flag) Atomics.store(flag, 0, 1)
}

export class WorkerPool {
  private readonly workers: Remote<Tasks>[]
  /** Tasks that each worker has in hand; one that wants to be alone fills it. */
  private readonly load: number[]
  /** Workers whose long task yields. */
  private readonly yielding = new Set<number>()
  private readonly waiting: Waiting[] = []
  private readonly kept = new Map<string, number>()
  /** What ends each worker's getting ready. */
  private readonly warming: readonly CancelFlag[]

  constructor(count = Math.max(2, Math.min(4, (navigator.hardwareConcurrency || 2) - 1))) {
    this.workers = Array.from({ length: count }, () =>
      wrap<Tasks>(new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' })),
    )
    this.load = this.workers.map(() => 0)
    this.warming = this.workers.map(newFlag)
  }

  /** Lets every worker get ready for its usual work, as long as it has no other. */
  warm(): void {
    for (const [i, worker] of this.workers.entries()) void this.warmOne(i, worker).catch(() => undefined)
  }

  private async warmOne(i: number, worker: Remote<Tasks>): Promise<void> {
    for (let round = 0; round < WARM_ROUNDS && this.load[i] === 0; round++)
      await worker.warm(round, this.warming[i]!)
  }

  get size(): number {
    return this.workers.length
  }

  /** Makes a recording known to all workers, at a rate; another rate replaces it. */
  async keep(id: string, audio: AudioData, rate: number): Promise<void> {
    if (this.kept.get(id) === rate) return
    this.kept.set(id, rate)
    for (const flag of this.warming) raise(flag)
    await Promise.all(this.workers.map((w) => w.keep(id, audio)))
  }

  /**
   * Runs a task on the next free worker.
   *
   * @param manner what else its worker may have in hand meanwhile
   * @throws Cancelled when the signal fires, InputError as thrown in the worker
   */
  run<T>(task: WorkerTask<T>, signal?: AbortSignal, manner: Manner = 'alone'): Promise<T> {
    return new Promise<T>((done, failed) => {
      const flag = newFlag()
      const entry: Waiting = {
        manner,
        run: async (worker) => {
          try {
            const result = await task(worker, flag)
            if (signal?.aborted) failed(new Cancelled())
            else done(result)
          } catch (e) {
            failed(revived(e))
          }
        },
      }
      const cancel = (): void => {
        raise(flag)
        const at = this.waiting.indexOf(entry)
        if (at >= 0) {
          this.waiting.splice(at, 1)
          failed(new Cancelled())
        }
      }
      if (signal?.aborted) return failed(new Cancelled())
      signal?.addEventListener('abort', cancel, { once: true })
      this.waiting.push(entry)
      this.dispatch()
    })
  }

  /** Where a task can go now. @param behind one that waits is before it */
  private placeFor({ manner }: Waiting, behind: boolean): number | undefined {
    const free = this.load.flatMap((load, w) => {
      if (manner !== 'short') return load === 0 ? [w] : []
      // It may pass another, but not take the worker that the other waits for.
      return load < IN_HAND && (!behind || this.yielding.has(w)) ? [w] : []
    })
    return free.sort((a, b) => this.load[a]! - this.load[b]!)[0]
  }

  private dispatch(): void {
    for (let i = 0; i < this.waiting.length;) {
      const entry = this.waiting[i]!
      const worker = this.placeFor(entry, i > 0)
      if (worker === undefined) i++
      else {
        this.waiting.splice(i, 1)
        this.start(entry, worker)
      }
    }
  }

  private start({ manner, run }: Waiting, worker: number): void {
    raise(this.warming[worker]!)
    const weight = manner === 'alone' ? IN_HAND : 1
    this.load[worker]! += weight
    if (manner === 'yielding') this.yielding.add(worker)
    void run(this.workers[worker]!).finally(() => {
      this.load[worker]! -= weight
      if (manner === 'yielding') this.yielding.delete(worker)
      this.dispatch()
    })
  }
}
