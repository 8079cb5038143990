// What a period of a voice has between its harmonics, where the harmonics of another pitch will stand.
import { nextPowerOfTwo, realFft, type RealFft } from '../dsp/fft'
import { workspace } from '../dsp/kernels/kernels'

/** So many harmonics are taken one by one, the later ones in part: from there on one delay suits all. */
const HARMONICS = 4
const WHOLE = 2
/** Share of what a period tells of delays that is taken over at once. */
const NEW = 0.3
/** What noise tells of delays is little against this, so that nothing is laid elsewhere for it; and what a harmonic does that is so much softer than its neighbour. */
const UNSURE = 0.1
const SOFT = 0.03
/** A period reaches so many periods to either side. */
export const REACH = 1.75
/** Delays are within so many periods of the mark. */
const FARTHEST = 0.75

/** Angle between -π and π. */
const turned = (angle: number): number => angle - 2 * Math.PI * Math.round(angle / (2 * Math.PI))
/** A turn of delays beyond the farthest comes from the other side. */
const within = (delay: number): number =>
  Math.abs(delay) > FARTHEST * 2 * Math.PI ? delay - Math.sign(delay) * 2 * Math.PI : delay
/** Share of a harmonic that is taken by itself. */
const share = (h: number): number => Math.min(1, Math.max(0, (HARMONICS + 1 - h) / (HARMONICS + 1 - WHOLE)))

/** Where a period lies in the samples that are to be shaped. */
export interface Place {
  /** Index of the mark, fractional, and the distances of its neighbours, samples. */
  readonly at: number
  readonly left: number
  readonly right: number
  /** How many samples there are. */
  readonly length: number
}

export interface PeriodShape {
  /** The next period is the first of another sound. */
  begin(): void
  /**
   * Makes one period of what sounds around a mark, in place.
   *
   * Set down again and again at the distance of its neighbours it is what it was made of.
   *
   * @param channels samples, `REACH` periods to either side of the mark, as many as `place` says
   * @param deeper how many times as strong as the first harmonic one of the new pitch is that lies far below it; 0 where none does
   * @param ratio of the new pitch to the old
   */
  shape(channels: readonly Float64Array[], place: Place, deeper: number, ratio: number): void
}

/**
 * Opens what shapes periods.
 *
 * A period that is cut out by a window has between its harmonics the mean of both, as complex numbers: nothing where they
 * point away from each other around the mark, as they do where it lies half a period beside the pulse, or where a low
 * harmonic comes later than the others. So the window is laid around where the energy of the upper harmonics lies, and of the
 * lower ones the delay from each to the next is told; between them magnitudes go from one to the other at that delay. Delays
 * are those of several periods, as what they are is the same in all.
 *
 * Source: after T. F. Quatieri & R. J. McAulay, "Shape invariant time-scale and pitch modification of speech", IEEE Trans.
 * Signal Processing 40(3), 1992 (harmonics of a new pitch with the magnitudes and phases of the voice between the old ones).
 *
 * @param count channels; @param most samples that are to be shaped at a time; more are a RangeError
 */
export function periodShape(count: number, most: number): PeriodShape {
  const rows = HARMONICS + 2
  const { run, doubles } = workspace(2 * (2 * rows + count + 4) * most, 2 * rows + count + 4)
  const rowsOf = (): Float64Array[] => Array.from({ length: rows }, () => doubles(most))
  /** What turns with each harmonic, from an angle of 0 at the mark. */
  const [cosines, sines] = [rowsOf(), rowsOf()]
  const bodies = Array.from({ length: count }, () => doubles(most))
  const [window, inside, energies, ones] = [
    doubles(most),
    doubles(most),
    doubles(most),
    doubles(most).fill(1),
  ]
  const [re, im] = [0, 0].map(() => Array.from({ length: count }, () => new Float64Array(rows))) as [
    Float64Array[],
    Float64Array[],
  ]
  /** What the phase turns by from each harmonic to the next: the later it sounds after the mark, the further down. */
  const turns = new Float64Array(rows)
  const strength = new Float64Array(rows)
  /** What the samples of every channel under the window add up to. */
  const still = new Float64Array(count)
  /** Where the energy of what lies above is after the mark: a vector, whose length tells how sure it is, and its angle, a whole turn a period. */
  let [c, s, upper] = [0, 0, 0]
  let first = true
  let [time, spectrum] = [new Float32Array(0), new Float32Array(0)]

  /** Angles that grow by a step from the one at 0. */
  const turn = (
    c: Float64Array,
    s: Float64Array,
    from: number,
    to: number,
    step: number,
    first: number,
  ): void =>
    run.phasors(
      c.byteOffset + 8 * from,
      s.byteOffset + 8 * from,
      Math.cos(first),
      Math.sin(first),
      Math.cos(step),
      Math.sin(step),
      to - from,
    )

  /** A window that ends at the neighbours, laid so many samples beside the mark. @returns what it adds up to */
  const fill = (
    { at, left, right, length }: Place,
    beside: number,
  ): [from: number, to: number, all: number] => {
    const middle = at + beside
    const from = Math.max(0, Math.ceil(middle - left))
    const to = Math.min(length, Math.floor(middle + right) + 1)
    // Between neighbours of which one is much nearer than the other it may lie outside.
    const half = Math.max(from, Math.min(to, Math.ceil(middle)))
    turn(window, inside, from, half, Math.PI / left, (Math.PI / left) * (from - middle))
    turn(window, inside, half, to, Math.PI / right, (Math.PI / right) * (half - middle))
    let all = 0
    for (let i = from; i < to; i++) all += window[i] = 0.5 + 0.5 * window[i]!
    return [from, to, all]
  }

  /** Reads the harmonics under the window, and takes them off as they go on in every period. */
  const part = (ch: number, length: number, period: number, from: number, to: number): void => {
    const x = bodies[ch]!.byteOffset
    const [off, n] = [8 * from, to - from]
    run.multiplyDoubles(x + off, window.byteOffset + off, inside.byteOffset + off, n)
    const under = (y: Float64Array): number => run.dotDoubles(inside.byteOffset + off, y.byteOffset + off, n)
    still[ch] = under(ones)
    for (let h = 1; h < rows; h++) {
      // Beyond half the rate there is none.
      const there = 2 * h < period
      re[ch]![h] = there ? under(cosines[h]!) : 0
      im[ch]![h] = there ? -under(sines[h]!) : 0
    }
    for (let h = 1; h <= HARMONICS; h++) {
      const much = (2 * share(h)) / period
      run.addDoubles(cosines[h]!.byteOffset, -much * re[ch]![h]!, x, length)
      run.addDoubles(sines[h]!.byteOffset, much * im[ch]![h]!, x, length)
    }
  }

  /** Takes over what a period tells of its turns. */
  const follow = (from: number, to: number): void => {
    const [off, n] = [8 * from, to - from]
    const dot = (x: Float64Array, y: Float64Array): number =>
      run.dotDoubles(x.byteOffset + off, y.byteOffset + off, n)
    energies.fill(0, from, to)
    for (const x of bodies) {
      run.multiplyDoubles(x.byteOffset + off, x.byteOffset + off, inside.byteOffset + off, n)
      run.addDoubles(inside.byteOffset + off, 1, energies.byteOffset + off, n)
    }
    run.multiplyDoubles(energies.byteOffset + off, window.byteOffset + off, energies.byteOffset + off, n)
    const energy = dot(energies, ones) + 1e-30
    const told = first ? 1 : NEW
    c += told * (dot(energies, cosines[1]!) / energy - c)
    s += told * (dot(energies, sines[1]!) / energy - s)
    const angle = Math.atan2(s, c + UNSURE)
    upper = first ? angle : within(upper + turned(angle - upper))
    strength.fill(0)
    for (let h = 1; h < rows; h++)
      for (let ch = 0; ch < count; ch++) strength[h]! += re[ch]![h]! ** 2 + im[ch]![h]! ** 2
    for (let h = 1; h <= HARMONICS; h++) {
      let [a, b] = [SOFT * Math.max(strength[h]!, strength[h + 1]!), 0]
      for (let ch = 0; ch < count; ch++) {
        const [r, i] = [re[ch]!, im[ch]!]
        a += r[h + 1]! * r[h]! + i[h + 1]! * i[h]!
        b += i[h + 1]! * r[h]! - r[h + 1]! * i[h]!
      }
      const angle = Math.atan2(b, a)
      turns[h] = first ? angle : within(turns[h]! + NEW * turned(angle - turns[h]!))
    }
    first = false
  }

  /** Adds the low harmonics with what lies between them. */
  const add = (
    ch: number,
    { at, length }: Place,
    period: number,
    deeper: number,
    ratio: number,
    fft: RealFft,
  ): void => {
    const { size } = fft
    if (time.length !== size) [time, spectrum] = [new Float32Array(size), new Float32Array(size)]
    spectrum.fill(0)
    const [r, i] = [re[ch]!, im[ch]!]
    const step = period / size
    const begin = (-2 * Math.PI * at) / size
    for (let h = 0; h <= HARMONICS; h++) {
      const low = h ? share(h) * Math.hypot(r[h]!, i[h]!) : 0
      const high = share(h + 1) * Math.hypot(r[h + 1]!, i[h + 1]!)
      const next = Math.atan2(i[h + 1]!, r[h + 1]!)
      const by = turns[Math.max(1, h)]!
      const phase = h ? Math.atan2(i[h]!, r[h]!) : next - by
      const off = h ? turned(next - phase - by) : 0
      const [offRe, offIm] = [Math.cos(off), Math.sin(off)]
      const last = Math.min(size / 2 - 1, Math.ceil((h + 1) / step) - 1)
      for (let k = Math.max(1, Math.ceil(h / step)); k <= last; k++) {
        const u = k * step - h
        const w = 0.5 + 0.5 * Math.cos(Math.PI * u)
        // Below the first harmonic there may be one of the new pitch, and there is nothing at 0 Hz.
        const lift = h ? 0 : deeper * w * (0.5 - 0.5 * Math.cos(Math.PI * Math.min(1, u / ratio)))
        const a = low * w + high * (1 - w + lift) * offRe
        const b = high * (1 - w + lift) * offIm
        const angle = phase + u * by + begin * k
        const [cs, ss] = [Math.cos(angle), Math.sin(angle)]
        spectrum[2 * k] = a * cs - b * ss
        spectrum[2 * k + 1] = a * ss + b * cs
      }
    }
    fft.inverse(spectrum, time)
    const x = bodies[ch]!
    for (let n = 0; n < length; n++) x[n]! += time[n]!
  }

  return {
    begin() {
      first = true
    },
    shape(channels, place, deeper, ratio) {
      const { at, length } = place
      const period = (place.left + place.right) / 2
      for (let h = 1; h < rows; h++) {
        const step = (2 * Math.PI * h) / period
        turn(cosines[h]!, sines[h]!, 0, length, step, -step * at)
      }
      const [first, end] = fill(place, 0)
      channels.forEach((x, ch) => {
        bodies[ch]!.set(x)
        part(ch, length, period, first, end)
      })
      follow(first, end)
      const [from, to, all] = fill(place, (upper * period) / (2 * Math.PI))
      const [off, n] = [8 * from, to - from]
      const fft = realFft(Math.max(64, nextPowerOfTwo(4 * period)))
      channels.forEach((out, ch) => {
        const body = bodies[ch]!
        const x = body.byteOffset
        body.fill(0, 0, from)
        body.fill(0, to, length)
        run.multiplyDoubles(x + off, window.byteOffset + off, x + off, n)
        add(ch, place, period, deeper, ratio, fft)
        // It stands beside 0 by as much as before, which its ends, cut off, do not.
        const beside = run.dotDoubles(x, ones.byteOffset, length) - still[ch]!
        run.addDoubles(window.byteOffset + off, -beside / all, x + off, n)
        out.set(body.subarray(0, length))
      })
    },
  }
}
