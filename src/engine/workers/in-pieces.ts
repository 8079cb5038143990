// Work in pieces, done by all workers of a pool that are free for it.
import type { Remote } from 'comlink'
import { claimable, othersIn, type Claims } from './claims'
import type { Manner, WorkerPool } from './pool'
import type { CancelFlag, Tasks } from './tasks'

/** Nobody's number. */
const NOBODY = 0

/** What one worker is asked. */
export interface Asked {
  readonly worker: Remote<Tasks>
  readonly flag: CancelFlag
  /** Null where memory cannot be shared: all is asked of one. */
  readonly claims: Claims | null
  /** Its number, from 1 on. */
  readonly who: number
}

/**
 * Does all pieces of some work.
 *
 * @param ask gives what one worker makes, by piece
 * @returns what is made of each piece
 * @throws what the first that fails throws, Cancelled when the signal fires
 */
export async function inPieces<T>(
  pool: WorkerPool,
  pieces: number,
  ask: (asked: Asked) => Promise<ReadonlyMap<number, T>>,
  signal?: AbortSignal,
  manner?: Manner,
): Promise<T[]> {
  const claims = pieces > 1 ? claimable(pieces) : null
  const workers = claims ? Math.min(pool.size, pieces) : 1
  const made = Array.from({ length: workers }, (_, i) =>
    pool.run((worker, flag) => ask({ worker, flag, claims, who: i + 1 }), signal, manner),
  )
  // Nobody may be left to ask for what fails after another has failed.
  for (const m of made) m.catch(() => undefined)
  const all = new Map(await Promise.race(made))
  // Whoever is through has left no piece free: who has not begun until then will find none.
  if (claims)
    for (const who of othersIn(claims, NOBODY))
      for (const [piece, thing] of await made[who - 1]!) all.set(piece, thing)
  return Array.from({ length: pieces }, (_, piece) => all.get(piece)!)
}
