// Partials that glide within a frame: told from phases around their peak, and bent as time-domain arithmetic would.
import { describe, expect, it } from 'vitest'
import { rms } from '../../../../tests/support/measure'
import { noise } from '../../../../tests/support/signals'
import { realFft } from '../fft'
import { hann } from '../windows'
import { workspace } from './kernels'

const SIZE = 1024
const HALF = SIZE / 2
const HOP = SIZE / 4
/** Middle of the frame `now`, samples from a recording's start. */
const MIDDLE = 2 * SIZE

function room(channels = 1) {
  const { run, floats, ints } = workspace((8 + 4 * channels) * SIZE, 12)
  const spectra = [0, 1, 2, 3].map(() => floats(channels * SIZE))
  return {
    run,
    spectra,
    power: floats(HALF + 8),
    peaks: ints(new Int32Array(HALF)),
    ends: ints(new Int32Array(HALF)),
    turns: floats(SIZE),
    glides: floats(SIZE),
  }
}

/** The windowed frame around a place. */
const frameAt = (x: Float32Array, middle: number): Float32Array =>
  hann(SIZE).map((w, i) => w * x[Math.round(middle) - SIZE / 2 + i]!)

/** What is found at a place of signals that were last heard `faster` times a hop before it. */
function found(signals: readonly Float32Array[], faster: number) {
  const { run, spectra, power, peaks, ends, turns, glides } = room(signals.length)
  const [now, back, previous] = spectra as [Float32Array, Float32Array, Float32Array]
  const fft = realFft(SIZE)
  signals.forEach((x, c) => {
    const part = (s: Float32Array): Float32Array => s.subarray(c * SIZE, (c + 1) * SIZE)
    fft.forward(frameAt(x, MIDDLE), part(now))
    fft.forward(frameAt(x, MIDDLE - HOP), part(back))
    fft.forward(frameAt(x, MIDDLE - HOP * faster), part(previous))
  })
  const places = [now, back, previous].map((x) => x.byteOffset) as [number, number, number]
  const count = run.findTurns(
    ...places,
    signals.length,
    HALF,
    power.byteOffset,
    peaks.byteOffset,
    ends.byteOffset,
    turns.byteOffset,
  )
  const gliding = run.findGlides(
    ...places,
    signals.length,
    HALF,
    power.byteOffset,
    peaks.byteOffset,
    turns.byteOffset,
    count,
    faster,
    glides.byteOffset,
  )
  let loudest = 0
  for (let p = 0; p < count; p++) if (power[peaks[p]!]! > power[peaks[loudest]!]!) loudest = p
  return {
    count,
    gliding,
    swept: glides[2 * loudest]!,
    turned: Math.atan2(turns[2 * loudest + 1]!, turns[2 * loudest]!) + glides[2 * loudest + 1]!,
  }
}

/** Turns of a tone that sweeps over some bins a frame, and passes a bin at the middle, since then. */
const turnsAt = (bin: number, swept: number, n: number): number => {
  const t = (n - MIDDLE) / SIZE
  return bin * t + (swept * t * t) / 2
}
const sweeping = (bin: number, swept: number): Float32Array =>
  Float32Array.from({ length: 3 * SIZE }, (_, n) => Math.cos(2 * Math.PI * turnsAt(bin, swept, n)))

/** An angle between -pi and pi. */
const wrapped = (angle: number): number => angle - 2 * Math.PI * Math.round(angle / (2 * Math.PI))

describe('gliding partials', () => {
  const sweeps = [2, 4, 8, 12, 16, 20].flatMap((swept) => [swept, -swept])

  it.each(sweeps)('are told how far they sweep: %d bins', (swept) => {
    for (const beside of [0, 0.25, 0.5, 0.75]) {
      const share = found([sweeping(100 + beside, swept)], 1.2).swept / swept
      expect(share, String(beside)).toBeGreaterThan(0.85)
      expect(share, String(beside)).toBeLessThan(1.15)
    }
  })

  it.each(sweeps)('go on in phase along their way: %d bins', (swept) => {
    for (const faster of [0.6875, 0.8125, 1.3125])
      for (const beside of [0, 0.3, 0.6]) {
        const bin = 100 + beside
        const since = turnsAt(bin, swept, MIDDLE - HOP * faster)
        // Heard at another speed, the way there is as many times longer or shorter.
        const wanted = 2 * Math.PI * (since - since / faster)
        const { turned } = found([sweeping(bin, swept)], faster)
        expect(Math.abs(wrapped(turned - wanted)), `${faster} ${beside}`).toBeLessThan(
          Math.abs(swept) > 12 ? 0.21 : 0.12,
        )
      }
  })

  it('are told by all channels together', () => {
    const x = sweeping(100, 6)
    const softer = x.map((v) => -0.2 * v)
    expect(found([softer, x], 1.2).swept).toBeCloseTo(found([x], 1.2).swept, 2)
  })

  it('are none where a tone is steady or dies away, and few in noise', () => {
    for (const beside of [0, 0.3, 0.5]) {
      const steady = sweeping(100 + beside, 0)
      expect(found([steady], 1.3).gliding).toBe(0)
      const dying = steady.map((v, n) => v * Math.exp(-n / SIZE))
      expect(found([dying], 1.3).swept).toBe(0)
    }
    let [all, gliding] = [0, 0]
    for (let seed = 1; seed <= 20; seed++) {
      const f = found([noise((3 * SIZE) / 44100, 44100, 0.5, seed)], 1.3)
      all += f.count
      gliding += f.gliding
    }
    expect(all).toBeGreaterThan(1000)
    expect(gliding / all).toBeLessThan(0.1)
  })

  it.each([-1.3, -0.4, 0.4, 1.3])('are bent as in time, turned, and stay as they are: by %f', (z) => {
    const { run, spectra, ends, turns, glides } = room()
    const [now, out, real, imaginary] = spectra as [Float32Array, Float32Array, Float32Array, Float32Array]
    const frame = frameAt(noise(0.1, 44100, 0.5, 3), MIDDLE)
    const fft = realFft(SIZE)
    fft.forward(frame, now)
    const phase = (i: number): number => z * (1 - Math.cos((2 * Math.PI * (i - SIZE / 2)) / SIZE))
    fft.forward(
      frame.map((v, i) => v * Math.cos(phase(i))),
      real,
    )
    fft.forward(
      frame.map((v, i) => v * Math.sin(phase(i))),
      imaginary,
    )
    const before = now.slice()
    ends[0] = 200
    ends[1] = HALF
    turns.set([0, 1, 0.6, 0.8])
    // Read twice as fast: 1.1 times the square of a quarter of the window, for what a sine's square makes of it.
    glides.set([(z * 2 * Math.PI) / 1.1, 0, 0, 0])
    run.bendBins(
      now.byteOffset,
      out.byteOffset,
      1,
      HALF,
      ends.byteOffset,
      turns.byteOffset,
      glides.byteOffset,
      2,
      2,
    )
    expect(now).toEqual(before)
    const near = 0.01 * rms(before) * 4
    for (let k = 8; k < 200; k++) {
      // Times i, the first part's turn.
      expect(Math.abs(out[2 * k]! + real[2 * k + 1]! + imaginary[2 * k]!)).toBeLessThan(near)
      expect(Math.abs(out[2 * k + 1]! - real[2 * k]! + imaginary[2 * k + 1]!)).toBeLessThan(near)
    }
    for (let k = 200; k < HALF; k++) {
      const [re, im] = [before[2 * k]!, before[2 * k + 1]!]
      expect(out[2 * k]).toBeCloseTo(0.6 * re - 0.8 * im, 4)
      expect(out[2 * k + 1]).toBeCloseTo(0.6 * im + 0.8 * re, 4)
    }
  })
})
