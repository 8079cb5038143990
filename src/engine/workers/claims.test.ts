// Pieces of work taken by several workers: each is done once, whoever comes first, and nobody waits for who has none.
import { describe, expect, it } from 'vitest'
import { claimable, doFree, othersIn } from './claims'

describe('pieces of work that workers claim', () => {
  it('are all done by the one who is there, when nobody else comes', async () => {
    const claims = claimable(5)!
    const made = await doFree(claims, 1, (piece) => 10 * piece)
    expect([...made]).toEqual([0, 1, 2, 3, 4].map((p) => [p, 10 * p]))
    expect(othersIn(claims, 1)).toEqual([])
    expect((await doFree(claims, 2, (piece) => piece)).size).toBe(0)
    expect(othersIn(claims, 1)).toEqual([])
  })

  it('are done once each when another comes in between', async () => {
    const claims = claimable(6)!
    const [here, there] = await Promise.all([1, 2].map((who) => doFree(claims, who, (piece) => piece)))
    expect([...here!.keys()]).toEqual([0, 2, 4])
    expect([...there!.keys()]).toEqual([1, 3, 5])
    expect(othersIn(claims, 1)).toEqual([2])
    expect(othersIn(claims, 2)).toEqual([1])
  })

  it('leave a turn to others after each', async () => {
    const claims = claimable(4)!
    const order: string[] = []
    const { port1, port2 } = new MessageChannel()
    port1.onmessage = () => order.push('asked')
    await doFree(claims, 1, (piece) => {
      order.push(`piece ${piece}`)
      if (piece === 1) port2.postMessage(null)
    })
    port1.close()
    expect(order).toEqual(['piece 0', 'piece 1', 'asked', 'piece 2', 'piece 3'])
  })

  it('leave what failed to the one whose it was', async () => {
    const claims = claimable(2)!
    const fail = (): never => {
      throw new Error('no')
    }
    await expect(doFree(claims, 1, fail)).rejects.toThrow('no')
    expect([...(await doFree(claims, 2, (piece) => piece)).keys()]).toEqual([1])
    expect(othersIn(claims, 2)).toEqual([1])
  })
})
