// A list of work that several workers take pieces from, by a table of who has which in memory that they share.
import { nextTurn } from './turn'

/** For each piece the number of whom it belongs to; 0 for nobody yet. */
export type Claims = Int32Array

/** A table for so many pieces, or null where memory cannot be shared. */
export const claimable = (pieces: number): Claims | null =>
  typeof SharedArrayBuffer === 'undefined' ? null : new Int32Array(new SharedArrayBuffer(4 * pieces))

/** Claims the first piece that is free, if any is. @param who above 0 */
export function claimNext(claims: Claims, who: number): number | undefined {
  for (let i = 0; i < claims.length; i++) if (Atomics.compareExchange(claims, i, 0, who) === 0) return i
  return undefined
}

/**
 * Does one piece after another as long as any is free; in between others have their turn.
 *
 * @param who above 0
 * @returns what was made of each, by piece
 */
export async function doFree<T>(
  claims: Claims,
  who: number,
  work: (piece: number) => T,
): Promise<Map<number, T>> {
  const done = new Map<number, T>()
  for (let piece = claimNext(claims, who); piece !== undefined; piece = claimNext(claims, who)) {
    done.set(piece, work(piece))
    await nextTurn()
  }
  return done
}

/** Everybody who has claimed a piece, `who` aside. */
export const othersIn = (claims: Claims, who: number): number[] =>
  [...new Set(claims)].filter((other) => other !== 0 && other !== who)
