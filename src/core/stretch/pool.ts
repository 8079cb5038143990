// Rooms to work in that are used again, one after the other: making one costs more than a short span.

export interface Pool<T> {
  /** A room that nobody works in, or a new one. @param key tells rooms of one kind from others */
  take(key: string, make: () => T): T
  /** The room is free again. */
  giveBack(key: string, room: T): void
}

/** Rooms of a kind that are kept. */
const MOST_FREE = 8

export function poolOf<T>(): Pool<T> {
  const free = new Map<string, T[]>()
  return {
    take: (key, make) => free.get(key)?.pop() ?? make(),
    giveBack(key, room) {
      const others = free.get(key) ?? []
      if (others.length < MOST_FREE) free.set(key, [...others, room])
    },
  }
}
