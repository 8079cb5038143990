// Pieces of work taken by several workers: each is done once, whoever comes first, and nobody waits for who has none.
import { describe, expect, it } from 'vitest'
import { claimable, doFree, othersIn } from './claims'

describe('pieces of work that workers claim', () => {
  it('are all done by the one who is there, when nobody else comes', () => {
    const claims = claimable(5)!
    expect([...doFree(claims, 1, (piece) => 10 * piece)]).toEqual([0, 1, 2, 3, 4].map((p) => [p, 10 * p]))
    expect(othersIn(claims, 1)).toEqual([])
    expect(doFree(claims, 2, (piece) => piece).size).toBe(0)
    expect(othersIn(claims, 1)).toEqual([])
  })

  it('are done once each when another comes in between', () => {
    const claims = claimable(6)!
    const there = new Map<number, string>()
    const here = doFree(claims, 1, (piece) => {
      // The other takes whatever is free while the second piece is worked on here.
      if (piece === 1) for (const [p, made] of doFree(claims, 2, (p) => `there ${p}`)) there.set(p, made)
      return `here ${piece}`
    })
    expect([...here.values()]).toEqual(['here 0', 'here 1'])
    expect([...there.values()]).toEqual(['there 2', 'there 3', 'there 4', 'there 5'])
    expect(othersIn(claims, 1)).toEqual([2])
    expect(othersIn(claims, 2)).toEqual([1])
  })

  it('leave what failed to the one whose it was', () => {
    const claims = claimable(2)!
    const fail = (): never => {
      throw new Error('no')
    }
    expect(() => doFree(claims, 1, fail)).toThrow('no')
    expect([...doFree(claims, 2, (piece) => piece).keys()]).toEqual([1])
    expect(othersIn(claims, 2)).toEqual([1])
  })
})
