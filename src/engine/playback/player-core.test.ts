// The player: exact samples by position, loops without a gap, switches without a click.
import { beforeEach, describe, expect, it } from 'vitest'
import { BLOCK, PlayerCore, type Block } from './player-core'

/** Session samples: the corrected one is its index scaled down, the original its negative. */
const value = (n: number): number => Math.fround(n / 2 ** 20)
const block = (index: number, offset = 0): Block => {
  const at = (i: number): number => index * BLOCK + i
  return {
    index,
    corrected: [Float32Array.from({ length: BLOCK }, (_, i) => value(at(i)) + offset)],
    original: [Float32Array.from({ length: BLOCK }, (_, i) => -value(at(i)))],
    click: Float32Array.from({ length: BLOCK }, (_, i) => (at(i) % 1000 === 0 ? 0.5 : 0)),
  }
}
let core: PlayerCore
const run = (count: number): Float32Array => {
  const out = new Float32Array(count)
  for (let at = 0; at < count; at += 128) core.process([out.subarray(at, Math.min(count, at + 128))])
  return out
}
const play = (from: number, end = 1e6): void => core.receive({ type: 'play', from, end })

beforeEach(() => {
  core = new PlayerCore()
  core.receive({ type: 'blocks', blocks: [-1, 0, 1, 2, 3].map((i) => block(i)) })
})

describe('the player', () => {
  it('plays exactly the samples at its position after a short fade', () => {
    play(-300)
    const out = run(4 * 1280)
    for (let i = 128; i < out.length; i++) expect(out[i]).toBe(value(i - 300))
    expect(core.position).toBe(4 * 1280 - 300)
  })

  it('wraps at the loop point without a missing or doubled sample', () => {
    core.receive({ type: 'loop', loop: { from: 1000, to: 5003 } })
    play(4000)
    const out = run(128 * 64)
    for (let i = 128; i < out.length; i++)
      expect(out[i]).toBe(value(i + 4000 < 5003 ? i + 4000 : ((i + 4000 - 5003) % 4003) + 1000))
  })

  it('stops at the end, and says so', () => {
    play(0, 700)
    const out = run(1280)
    expect(out[699]).toBe(value(699))
    expect([...out.subarray(701)].every((v) => v === 0)).toBe(true)
    expect(core.report(0).state).toBe('stopped')
  })

  it('waits in silence for a block, and goes on where it was', () => {
    play(4 * BLOCK - 200)
    const before = run(512)
    expect(core.state).toBe('waiting')
    expect([...before.subarray(200)].every((v) => v === 0)).toBe(true)
    core.receive({ type: 'blocks', blocks: [block(4)] })
    const after = run(512)
    expect(core.position).toBe(4 * BLOCK + 512)
    expect(after[300]).toBe(value(4 * BLOCK + 300))
  })

  it('switches between corrected and original with a crossfade and no gap', () => {
    play(1000)
    run(1280)
    core.receive({ type: 'hear', original: true })
    const out = run(1280)
    let last = value(1000 + 1279)
    for (let i = 0; i < out.length; i++) {
      expect(Math.abs(out[i]! - last)).toBeLessThan(0.0001)
      last = out[i]!
    }
    expect(out[1000]).toBe(-value(1000 + 1280 + 1000))
  })

  it('plays the corrected where a changed block came without its original, and crossfades when that comes', () => {
    core.receive({ type: 'hear', original: true })
    play(0)
    run(1280)
    core.receive({
      type: 'blocks',
      blocks: [{ index: 0, corrected: block(0, 0.2).corrected, click: block(0).click }],
    })
    const out = run(640)
    expect(out[639]).toBeCloseTo(value(1280 + 639) + 0.2, 6)
    core.receive({ type: 'blocks', blocks: [block(0, 0.2)] })
    const later = run(640)
    for (let i = 1; i < later.length; i++) expect(Math.abs(later[i]! - later[i - 1]!)).toBeLessThan(0.003)
    expect(later[639]).toBe(-value(1920 + 639))
  })

  it('replaces the block that sounds without a step', () => {
    play(0)
    run(1280)
    core.receive({ type: 'blocks', blocks: [block(0, 0.2)] })
    const out = run(640)
    for (let i = 1; i < out.length; i++) expect(Math.abs(out[i]! - out[i - 1]!)).toBeLessThan(0.003)
    expect(out[639]).toBeCloseTo(value(1280 + 639) + 0.2, 6)
  })

  it('adds the click only when it is on, and leaves it out of the level', () => {
    play(0)
    const silent = run(2560)
    core.receive({ type: 'click', gain: 0.5 })
    core.receive({ type: 'seek', to: 0 })
    core.report(0)
    const clicked = run(2560)
    const at = clicked.indexOf(Math.max(...clicked))
    expect(Math.max(...silent)).toBeLessThan(0.01)
    expect(clicked[at]).toBeCloseTo(0.25, 2)
    expect(core.report(1).peaks[0]).toBeLessThan(0.01)
  })

  it('fades out on stop and into the new place on seek', () => {
    play(3 * BLOCK)
    run(640)
    core.receive({ type: 'seek', to: 0 })
    run(384)
    expect(core.position).toBe(384 - 128)
    core.receive({ type: 'stop' })
    run(256)
    expect(core.state).toBe('stopped')
    expect([...run(128)].every((v) => v === 0)).toBe(true)
  })

  it('forgets blocks it is told to', () => {
    core.receive({ type: 'drop', keep: [2] })
    play(0)
    run(128)
    expect(core.state).toBe('waiting')
  })
})
