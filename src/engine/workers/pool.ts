// A pool of workers: runs tasks on whichever is free, first come first served, cancellable.
import { proxy, wrap, type Remote } from 'comlink'
import { Cancelled, InputError } from '../../core/errors'
import type { AudioData } from '../../core/audio/buffer'
import type { CancelFlag, Tasks } from './tasks'

export { proxy }
export type WorkerTask<T> = (worker: Remote<Tasks>, flag: CancelFlag) => Promise<T>

interface Waiting {
  /** Short work that may be sent before the worker is free, so that it need not wait for a busy page in between. */
  readonly short: boolean
  run(worker: Remote<Tasks>): Promise<void>
}

/** Short tasks that a worker may have in hand. */
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

export class WorkerPool {
  private readonly workers: Remote<Tasks>[]
  /** Tasks that each worker has in hand; a long one fills it. */
  private readonly load: number[]
  private readonly waiting: Waiting[] = []
  private readonly kept = new Map<string, number>()

  constructor(count = Math.max(2, Math.min(4, (navigator.hardwareConcurrency || 2) - 1))) {
    this.workers = Array.from({ length: count }, () =>
      wrap<Tasks>(new Worker(new URL('./worker.ts', import.meta.url), { type: 'module' })),
    )
    this.load = this.workers.map(() => 0)
  }

  /** Lets every worker get ready for its usual work, as long as it has no other. */
  warm(): void {
    for (const [i, worker] of this.workers.entries()) void this.warmOne(i, worker).catch(() => undefined)
  }

  private async warmOne(i: number, worker: Remote<Tasks>): Promise<void> {
    for (let round = 0; round < WARM_ROUNDS && this.load[i] === 0; round++) await worker.warm(round)
  }

  get size(): number {
    return this.workers.length
  }

  /** Makes a recording known to all workers, at a rate; another rate replaces it. */
  async keep(id: string, audio: AudioData, rate: number): Promise<void> {
    if (this.kept.get(id) === rate) return
    this.kept.set(id, rate)
    await Promise.all(this.workers.map((w) => w.keep(id, audio)))
  }

  /**
   * Runs a task on the next free worker.
   *
   * @param short it is over in a moment: it may queue behind other such tasks on a worker
   * @throws Cancelled when the signal fires, InputError as thrown in the worker
   */
  run<T>(task: WorkerTask<T>, signal?: AbortSignal, short = false): Promise<T> {
    return new Promise<T>((done, failed) => {
      const flag = typeof SharedArrayBuffer === 'undefined' ? null : new Int32Array(new SharedArrayBuffer(4))
      const entry: Waiting = {
        short,
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
        if (flag) Atomics.store(flag, 0, 1)
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

  private dispatch(): void {
    while (this.waiting.length) {
      const { short } = this.waiting[0]!
      const least = this.load.indexOf(Math.min(...this.load))
      if (this.load[least]! >= (short ? IN_HAND : 1)) return
      const entry = this.waiting.shift()!
      const weight = short ? 1 : IN_HAND
      this.load[least]! += weight
      void entry.run(this.workers[least]!).finally(() => {
        this.load[least]! -= weight
        this.dispatch()
      })
    }
  }
}
