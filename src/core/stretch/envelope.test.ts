// The envelope of spectra goes through their partials' peaks, whatever lies between these.
import { describe, expect, it } from 'vitest'
import { frameReader } from '../../../tests/support/frames'
import { median } from '../../../tests/support/measure'
import { noise } from '../../../tests/support/signals'
import { workspace } from '../dsp/kernels/kernels'
import { magnitudes } from '../dsp/magnitudes'
import { envelopeMaker, envelopeRoom } from './envelope'

const RATE = 44100
const SIZE = 2048
const DB = 20 / Math.LN10

/** Level of a voice with resonances at 600, 1,100 and 2,500 Hz over a slope of 6 dB an octave, dB. */
const voiced = (hz: number): number =>
  [600, 1100, 2500].reduce((sum, f) => sum + 12 / (1 + ((hz - f) / 150) ** 2), -20 * Math.log10(hz / 100))

/** Harmonics with these levels, over what no ear would hear. */
function sung(pitch: number, level: (hz: number) => number): Float32Array {
  const x = noise(0.1, RATE, 1e-5, 3)
  for (let k = 1; k * pitch < 8000; k++) {
    const a = 0.1 * 10 ** (level(k * pitch) / 20)
    for (let i = 0; i < x.length; i++) x[i]! += a * Math.sin((2 * Math.PI * k * pitch * i) / RATE + k * k)
  }
  return x
}

/** Envelope and magnitudes of a sound, dB above each one's floor. */
function envelopeOf(
  x: Float32Array,
  hz: number,
): { readonly found: Float32Array; readonly mags: Float32Array } {
  const [floats, arrays] = envelopeRoom(SIZE)
  const space = workspace(floats + SIZE, arrays + 1)
  const mags = space.floats(SIZE / 2 + 1)
  const envelope = envelopeMaker(SIZE, RATE, space, mags)
  const spectrum = new Float32Array(SIZE)
  frameReader(SIZE).read(x, 0, spectrum)
  magnitudes(spectrum, mags)
  const floor = Math.max(1e-9, 1e-4 * Math.max(...mags))
  return {
    found: envelope(hz).map((v) => DB * v),
    mags: mags.map((m) => DB * Math.log(1 + m / floor)),
  }
}

/** How far an envelope lies above the peaks of harmonics up to 5 kHz, dB, and above the lowest between each and the next. */
function above(pitch: number): { readonly peaks: readonly number[]; readonly valleys: readonly number[] } {
  const { found, mags } = envelopeOf(sung(pitch, voiced), pitch)
  const bins = Array.from({ length: Math.floor(5000 / pitch) }, (_, k) =>
    Math.round(((k + 1) * pitch * SIZE) / RATE),
  )
  return {
    peaks: bins.map((bin) => found[bin]! - Math.max(...mags.subarray(bin - 1, bin + 2))),
    valleys: bins.slice(1).map((bin, k) => {
      const middle = Math.round((bins[k]! + bin) / 2)
      return found[middle]! - Math.min(...mags.subarray(middle - 1, middle + 2))
    }),
  }
}

describe('an envelope', () => {
  it('goes through the peaks of near harmonics', () => {
    for (const away of above(110).peaks) expect(Math.abs(away)).toBeLessThan(1)
  })

  it.each([163, 220, 330])(
    'has the shape of the peaks of harmonics of %i Hz, not of what lies between',
    (pitch) => {
      const { peaks, valleys } = above(pitch)
      const usual = median(peaks)
      for (const away of peaks) expect(Math.abs(away - usual)).toBeLessThan(3)
      expect(Math.min(...valleys)).toBeGreaterThan(10)
    },
  )

  it('of a lowest partial goes on below it, no higher than that', () => {
    const { found } = envelopeOf(sung(330, voiced), 330)
    const lowest = Math.round((330 * SIZE) / RATE)
    for (let k = 0; k < lowest; k++) {
      expect(found[k]!).toBeLessThan(found[lowest]! + 3)
      expect(found[k]!).toBeGreaterThan(found[lowest]! - 10)
    }
  })

  it('of silence is flat', () => {
    expect(Math.max(...envelopeOf(new Float32Array(SIZE), 0).found)).toBeLessThan(1e-3)
  })
})
