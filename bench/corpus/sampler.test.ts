// The sampler: notes begin to sound where `begunAt` says.
import { describe, expect, it } from 'vitest'
import { begunAt, canPlaySamples, rendered, type Event } from './sampler'

describe.skipIf(!canPlaySamples())('notes of the sampler', () => {
  it('begin with the block that is said, to the sample', () => {
    const starts = Array.from({ length: 40 }, (_, i) => 0.5 + 0.4 * i + ((37 * i) % 101) / 1000)
    const events = starts.map((start): Event => ({
      start,
      end: start + 0.1,
      midi: 75,
      level: 0.8,
      channel: 9,
    }))
    const x = rendered(events, new Map([[9, 0]]), false)[0]!
    const late = starts.map((start) => {
      const from = Math.round(44100 * begunAt(start))
      expect(Math.abs(x[from - 1]!)).toBeLessThan(1e-4)
      return x.subarray(from).findIndex((v) => Math.abs(v) > 0.01)
    })
    // The sample's own beginning, which the synthesizer reads between samples.
    late.forEach((n) => expect(Math.abs(n - late[0]!)).toBeLessThanOrEqual(1))
    expect(late[0]).toBeLessThan(150)
  })
})
