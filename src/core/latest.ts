// What was made last, by key.

export interface Latest<K, T> {
  /** What was made for a key and is still kept, if that will do, or what is made now. */
  of(key: K, make: () => T, willDo?: (made: T) => boolean): T
  has(key: K): boolean
  /** Keeps what was made otherwise. */
  set(key: K, made: T): void
}

/** @param most things that are kept; those made first are forgotten */
export function latest<K, T>(most: number): Latest<K, T> {
  const kept = new Map<K, T>()
  const set = (key: K, made: T): void => {
    kept.set(key, made)
    if (kept.size > most) kept.delete(kept.keys().next().value!)
  }
  return {
    of(key, make, willDo = () => true) {
      if (!kept.has(key) || !willDo(kept.get(key)!)) set(key, make())
      return kept.get(key)!
    },
    has: (key) => kept.has(key),
    set,
  }
}
