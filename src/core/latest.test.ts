import { expect, it } from 'vitest'
import { latest } from './latest'

it('keeps what was made last, and makes the rest again', () => {
  const made: number[] = []
  const kept = latest<number, string | undefined>(2)
  const ask = (key: number): string | undefined =>
    kept.of(key, () => (made.push(key), key ? `${key}` : undefined))
  expect([0, 1, 1, 0, 2, 2, 0].map(ask)).toEqual([undefined, '1', '1', undefined, '2', '2', undefined])
  // That nothing came of 0 is known as well, until 2 was made besides.
  expect(made).toEqual([0, 1, 2, 0])
  kept.set(1, 'other')
  expect(ask(1)).toBe('other')
  expect([kept.has(0), kept.has(1), kept.has(2)]).toEqual([true, true, false])
  expect(
    kept.of(
      1,
      () => 'third',
      (m) => m === 'other',
    ),
  ).toBe('other')
  expect(
    kept.of(
      1,
      () => 'third',
      (m) => m !== 'other',
    ),
  ).toBe('third')
  expect(ask(1)).toBe('third')
})
