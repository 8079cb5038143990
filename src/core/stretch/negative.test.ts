// Low tones: what their negative frequencies leave is told, and turns the other way.
import { beforeAll, describe, expect, it } from 'vitest'
import { loadFft, realFft } from '../dsp/fft'
import { hann } from '../dsp/windows'
import { findLows, hannAt, lowTone, turnNegative, type LowTone } from './negative'

const SIZE = 4096

beforeAll(() => loadFft())

/** Spectrum of a sine of so many cycles a frame, with a phase at the frame's middle. */
function spectrumOf(at: number, amplitude: number, phase: number): Float32Array {
  const window = hann(SIZE)
  const x = window.map((w, i) => w * amplitude * Math.cos((2 * Math.PI * at * (i - SIZE / 2)) / SIZE + phase))
  const out = new Float32Array(SIZE)
  realFft(SIZE).forward(x, out)
  return out
}

const powers = (x: Float32Array): Float32Array =>
  Float32Array.from({ length: SIZE / 2 }, (_, k) => x[2 * k]! ** 2 + x[2 * k + 1]! ** 2)

/** Amplitude 1 gives so much at a tone's own place: half of the window's sum. */
const SCALE = SIZE / 4

describe('a low tone', () => {
  it('has the spectrum of its window, as a sum over its samples has it', () => {
    const window = hann(SIZE)
    for (const d of [0, 0.3, 1, 1.5, 2, 4.3, -2.7]) {
      let sum = 0
      window.forEach((w, i) => (sum += w * Math.cos((2 * Math.PI * d * (i - SIZE / 2)) / SIZE)))
      expect(hannAt(d)).toBeCloseTo(sum / (SIZE / 2), 5)
    }
  })

  it.each([2, 2.6, 3.1, 3.5, 5.11, 6.7, 9.4])('at %f bins is told with its phase in two channels', (at) => {
    for (const phase of [0, 0.7, 2, -2.5]) {
      const channels = [spectrumOf(at, 0.5, phase), spectrumOf(at, 0.1, phase + 1)]
      const tone = lowTone(channels, Math.round(at))
      expect(Math.abs(tone.at - at)).toBeLessThan(1e-3)
      for (const [c, [amplitude, own]] of [
        [0.5, phase],
        [0.1, phase + 1],
      ].entries() as IterableIterator<[number, [number, number]]>) {
        const [re, im] = [amplitude * Math.cos(own) * SCALE, amplitude * Math.sin(own) * SCALE]
        expect(Math.hypot(tone.re[c]! - re, tone.im[c]! - im)).toBeLessThan(2e-3 * amplitude * SCALE)
      }
    }
  })

  it('turned is the spectrum of the turned sine, its negative frequency and its side at 0 Hz as well', () => {
    for (const at of [2.6, 3.83, 5.11])
      for (const turn of [0.4, 1.6, -2.8]) {
        const [now, back, wanted] = [spectrumOf(at, 1, 0.3), spectrumOf(at, 1, -0.9), spectrumOf(at, 1, 0.3 + turn)] // prettier-ignore
        const previous = spectrumOf(at, 1, -0.9 + turn)
        const turns = {
          count: 1,
          peaks: Int32Array.of(Math.round(at)),
          ends: Int32Array.of(SIZE / 2),
          by: Float32Array.of(1, 0),
          glides: new Float32Array(2),
        }
        const lows = new Map<number, LowTone>()
        findLows([now], [back], [previous], powers(now), turns, lows)
        expect(Math.atan2(turns.by[1]!, turns.by[0]!)).toBeCloseTo(turn, 3)
        const turned = now.slice()
        const [re, im] = [turns.by[0]!, turns.by[1]!]
        for (let k = 1; k < SIZE / 2; k++) {
          turned[2 * k] = now[2 * k]! * re - now[2 * k + 1]! * im
          turned[2 * k + 1] = now[2 * k]! * im + now[2 * k + 1]! * re
        }
        const off = (x: Float32Array): number =>
          x.subarray(0, 40).reduce((most, v, i) => Math.max(most, i === 1 ? 0 : Math.abs(v - wanted[i]!)), 0)
        const before = off(turned)
        turnNegative([turned], lows, turns)
        expect(off(turned)).toBeLessThan(1e-3 * SCALE)
        expect(off(turned)).toBeLessThan(0.2 * before)
      }
  })
})
