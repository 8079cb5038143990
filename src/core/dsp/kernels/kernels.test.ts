// The compiled inner loops: against plain arithmetic, and against their own source.
import { describe, expect, it } from 'vitest'
import { compileKernels, kernelsModule } from '../../../../scripts/kernels'
import { noise } from '../../../../tests/support/signals'
import { energy, meanEnergy, meanInto, peak, scaleAlong } from '../energy'
import { realFft } from '../fft'
import { meanMagnitudes } from '../magnitudes'
import { BINARY } from './binary'
import { workspace, workspaceAgain } from './kernels'

const N = 101

function arrays(count: number, length = N) {
  const space = workspace(count * length, count)
  const made = Array.from({ length: count }, (_, i) => {
    const x = space.floats(length)
    x.set(noise(length / 44100 + 1e-6, 44100, 0.5, i + 1).subarray(0, length))
    return x
  })
  return { run: space.run, made }
}

describe('compiled inner loops', () => {
  it('are what their source compiles to', async () => {
    expect(kernelsModule(await compileKernels())).toContain(BINARY)
  })

  it('multiply, add and sum as plain loops do, at lengths that are no multiple of four', () => {
    const { run, made } = arrays(3)
    const [a, b, out] = made as [Float32Array, Float32Array, Float32Array]
    run.multiply(a.byteOffset, b.byteOffset, out.byteOffset, N)
    for (let i = 0; i < N; i++) expect(out[i]).toBe(Math.fround(a[i]! * b[i]!))
    const sum = a.reduce((s, v) => s + v * v, 0)
    expect(run.energy(a.byteOffset, N)).toBeCloseTo(sum, 4)
    const rise = a.reduce((s, v, i) => s + Math.max(0, v - b[i]!), 0)
    expect(run.rise(a.byteOffset, b.byteOffset, N)).toBeCloseTo(rise, 4)
    out.fill(0)
    run.accumulate(a.byteOffset, 0.5, out.byteOffset, N)
    for (let i = 0; i < N; i++) expect(out[i]).toBe(Math.fround(0.5 * a[i]!))
  })

  it.each([1, 7, 64])('weigh neighbours with %i taps', (taps) => {
    const { run, made } = arrays(3)
    const [x, weights, out] = made as [Float32Array, Float32Array, Float32Array]
    const before = out.slice()
    run.filter(x.byteOffset + 4, weights.byteOffset, taps, out.byteOffset, 32)
    out.forEach((v, i) => {
      let sum = 0
      for (let k = 0; k < taps; k++) sum += x[1 + i + k]! * weights[k]!
      expect(v).toBeCloseTo(i < 32 ? sum : before[i]!, 5)
    })
  })

  it.each([4, 11, 22])('add second differences up by step, %i samples each', (size) => {
    const { run, made } = arrays(2)
    const [x, sums] = made as [Float32Array, Float32Array]
    const count = Math.floor((N - 2) / size)
    const before = sums.slice()
    run.bends(x.byteOffset, size, sums.byteOffset, count)
    sums.forEach((v, k) => {
      let sum = before[k]!
      for (let i = k * size; k < count && i < (k + 1) * size; i++)
        sum += (x[i]! - 2 * x[i + 1]! + x[i + 2]!) ** 2
      expect(v).toBeCloseTo(sum, 4)
    })
  })

  it('scale along lines, divide by weights and find the peak, whatever lies beside', () => {
    const x = noise(1, 44100, 0.5, 5)
    // Longer than a block, and no multiple of the step.
    const [from, to, step] = [123, 40246, 32]
    const gains = Float32Array.from({ length: 1255 }, (_, k) => 1 + Math.sin(k))
    const scaled = x.slice()
    scaleAlong(scaled, from, to, gains, step)
    scaled.forEach((v, i) => {
      const k = Math.floor((i - from) / step)
      const gain =
        i < from || i >= to ? 1 : gains[k]! + ((gains[k + 1]! - gains[k]!) * (i - from - k * step)) / step
      expect(Math.abs(v - gain * x[i]!)).toBeLessThan(1e-6)
    })
    scaled.set(x)
    scaleAlong(scaled, 10, 35000, [2, 3], 1000)
    expect(scaled[34999]).toBeCloseTo(3 * x[34999]!, 6)
    scaled.fill(0.25)
    scaled[7] = -0.75
    scaled[41] = 1
    expect([peak(scaled, 7, 41), peak(scaled, 8, 41), peak(scaled, 8), peak(scaled, 8, 8)]).toEqual([
      0.75, 0.25, 1, 0,
    ])
    const { run, made } = arrays(2, 64)
    const [a, b] = made as [Float32Array, Float32Array]
    const before = a.slice()
    run.divide(a.byteOffset, b.byteOffset, 0.1, 64)
    // Weights on either side of twice the least.
    const floor = (w: number): number => (w < 0.2 ? 0.1 + 2.5 * w * w : w)
    expect(b.some((w) => w > 0.25)).toBe(true)
    a.forEach((v, i) => expect(v / (before[i]! / floor(b[i]!))).toBeCloseTo(1, 6))
  })

  it('compare parts of spectra, channels together', () => {
    const [half, count] = [32, 2]
    const { run, floats, ints } = workspace(8 * half + 64, 8)
    const both = [1, 2].map((seed) => {
      const x = floats(2 * half * count)
      x.set(noise(1, 44100, 0.5, seed).subarray(0, x.length))
      return x
    })
    const [a, b] = both as [Float32Array, Float32Array]
    const [peaks, ends] = [ints(new Int32Array([3, 9])), ints(new Int32Array([6, 13]))]
    const out = floats(12)
    run.compareParts(
      a.byteOffset,
      b.byteOffset,
      count,
      half,
      peaks.byteOffset,
      ends.byteOffset,
      2,
      out.byteOffset,
    )
    const sum = (p: Float32Array, q: Float32Array, from: number, to: number): number =>
      [0, 2 * half].reduce(
        (all, c) => all + p.subarray(c + from, c + to).reduce((s, v, i) => s + v * q[c + from + i]!, 0),
        0,
      )
    ;[
      [1, 6, 3],
      [6, 13, 9],
    ].forEach(([start, end, peak], p) => {
      const turned = b.map((_, i) => (i % 2 ? -b[i - 1]! : b[i + 1]!))
      const [x, y] = [2 * start!, 2 * end!]
      const bin = [2 * peak!, 2 * peak! + 2] as const
      const wanted = [sum(a, a, x, y), sum(b, b, x, y), sum(a, a, ...bin), sum(b, b, ...bin)]
      wanted.push(sum(a, b, ...bin), sum(a, turned, ...bin))
      wanted.forEach((v, i) => expect(out[6 * p + i]).toBeCloseTo(v, 4))
    })
  })

  it('turns a signal around, and gives the mean of channels over any range', () => {
    const { run, made } = arrays(2)
    const [a, out] = made as [Float32Array, Float32Array]
    run.reverse(a.byteOffset, out.byteOffset, N)
    expect([...out]).toEqual([...a].reverse())
    const [x, y] = [noise(1, 44100, 0.5, 7), noise(1, 44100, 0.5, 8)]
    const mean = new Float32Array(40000)
    meanInto([x, y], 123, 40123, mean)
    expect(mean).toEqual(Float32Array.from(mean, (_, i) => (x[i + 123]! + y[i + 123]!) / 2))
  })

  // With what is left over after steps of four and eight.
  it.each([
    [6, 90],
    [6, 93],
    [4, 5],
    [46, 131],
  ])('correlates at lags, predicts, and undoes the prediction exactly: %i of %i', (order, n) => {
    const space = workspace(400, 8)
    const x = space.floats(n + 2 * order)
    x.set(noise(1, 44100, 0.5, 3).subarray(0, n), order)
    const lags = space.floats(order)
    space.run.correlate(x.byteOffset, x.byteOffset, n + order, order, lags.byteOffset)
    for (let k = 0; k < order; k++)
      expect(lags[k]).toBeCloseTo(
        x.reduce((s, v, i) => s + v * (x[i + k] ?? 0), 0),
        4,
      )
    const [a, turned] = [space.doubles(order + 1), space.doubles(order)]
    a.set([1, -0.9, 0.5, -0.2, 0.1, 0.05, -0.3].slice(0, order + 1))
    for (let k = 1; k <= order; k++) turned[order - k] = a[k]!
    const error = space.doubles(n + order)
    const first = error.byteOffset + 8 * order
    space.run.predictionError(x.byteOffset + 4 * order, a.byteOffset, order, first, n)
    for (let i = 0; i < n; i++)
      expect(error[order + i]).toBeCloseTo(
        a.reduce((s, v, k) => s + v * x[order + i - k]!, 0),
        9,
      )
    space.run.undoPrediction(first, turned.byteOffset, order, n)
    for (let i = 0; i < n; i++) expect(error[order + i]).toBeCloseTo(x[order + i]!, 9)
  })

  it('multiply, sum up and add doubles, and turn phasors', () => {
    for (const n of [1, 2, 3, 4, 7, 500]) {
      const space = workspace(12 * n + 48)
      const fresh = (): Float64Array => space.doubles(n)
      const [a, b, out, sum, cosines, sines] = [fresh(), fresh(), fresh(), fresh(), fresh(), fresh()]
      a.set(noise(1, 44100, 0.5, 3).subarray(0, n))
      b.set(noise(1, 44100, 0.5, 4).subarray(0, n))
      sum.set(a)
      space.run.multiplyDoubles(a.byteOffset, b.byteOffset, out.byteOffset, n)
      expect([...out]).toEqual([...a].map((v, i) => v * b[i]!))
      space.run.addDoubles(b.byteOffset, -0.3, sum.byteOffset, n)
      expect([...sum]).toEqual([...a].map((v, i) => v + -0.3 * b[i]!))
      const product = a.reduce((s, v, i) => s + v * b[i]!, 0)
      expect(space.run.dotDoubles(a.byteOffset, b.byteOffset, n)).toBeCloseTo(product, 12)
      const [first, step] = [-40.1, 0.17]
      const [c, s, cs, ss] = [first, step].flatMap((x) => [Math.cos(x), Math.sin(x)]) as [
        number,
        number,
        number,
        number,
      ]
      space.run.phasors(cosines.byteOffset, sines.byteOffset, c, s, cs, ss, n)
      for (let i = 0; i < n; i++) {
        expect(cosines[i]).toBeCloseTo(Math.cos(first + i * step), 12)
        expect(sines[i]).toBeCloseTo(Math.sin(first + i * step), 12)
      }
    }
  })

  it('turn bins by as little as is asked for', () => {
    const half = 16
    const space = workspace(4 * half, 4)
    const [now, by] = [space.floats(2 * half).fill(1), space.floats(2)]
    const ends = space.ints(Int32Array.of(half))
    // Its cosine is 1 in single precision.
    const angle = 1e-4
    by.set([Math.cos(angle), Math.sin(angle)])
    space.run.turnBins(now.byteOffset, 1, half, ends.byteOffset, by.byteOffset, 1)
    expect([...now.subarray(0, 2)]).toEqual([1, 1])
    for (let k = 1; k < half; k++) expect(now[2 * k + 1]! - now[2 * k]!).toBeCloseTo(2 * angle, 6)
  })

  it('widens every peak by one place', () => {
    for (const n of [1, 2, 3, 4, 5, 6, 9, 101]) {
      const { run, made } = arrays(2, n)
      const [x, out] = made as [Float32Array, Float32Array]
      run.widen(x.byteOffset, out.byteOffset, n)
      for (let i = 0; i < n; i++)
        expect(out[i]).toBe(Math.max(x[i]!, x[i - 1] ?? -Infinity, x[i + 1] ?? -Infinity))
    }
  })

  it('takes logarithms within 2e-4', () => {
    const { run, made } = arrays(1)
    const x = made[0]!
    for (let i = 0; i < N; i++) x[i] = 10 ** (i / 6 - 9)
    const before = x.slice()
    run.logOnePlus(x.byteOffset, 3, N)
    for (let i = 0; i < N; i++) expect(Math.abs(x[i]! - Math.log1p(3 * before[i]!))).toBeLessThan(2e-4)
  })

  it('sums the power of blocks after differences, and takes running means, as their definitions say', () => {
    const [block, count, stride, span] = [4, 20, 21, 6]
    const space = workspace(2 * block * count + 2 * (4 * stride + count + span), 4)
    const [left, right] = [space.floats(block * count), space.floats(block * count)]
    const rows = space.doubles(4 * stride)
    const means = space.doubles(count + span)
    left.set(noise(1, 44100, 0.5, 4).subarray(0, left.length))
    right.set(noise(1, 44100, 0.5, 5).subarray(0, left.length))
    space.run.blockPowers(left.byteOffset, right.byteOffset, block, count, 0.9, rows.byteOffset, stride)
    const differenced = (x: Float32Array, times: number): number[] => {
      let y = [...x]
      for (let k = 0; k < times; k++) y = y.map((v, i) => v - 0.9 * (y[i - 1] ?? 0))
      return y
    }
    ;[0, 1, 2, 5].forEach((times, row) => {
      const [l, r] = [differenced(left, times), differenced(right, times)]
      const powers = Array.from({ length: count }, (_, b) =>
        [l, r].reduce((t, x) => t + x.slice(b * block, (b + 1) * block).reduce((s, v) => s + v * v, 0), 0),
      )
      expect(rows[row * stride]).toBe(0)
      powers.forEach((p, b) => expect(rows[row * stride + b + 1]).toBeCloseTo(p, 10))
      const sums = rows.subarray(row * stride, (row + 1) * stride)
      space.run.runningSums(sums.byteOffset, count)
      space.run.slidingMeans(sums.byteOffset, count, span, means.byteOffset)
      expect(means[0]).toBe(0)
      for (let k = 1; k < count + span; k++) {
        const of = powers.slice(Math.max(0, k - span), Math.min(count, k))
        expect(means[k]).toBeCloseTo(of.reduce((t, v) => t + v, 0) / of.length, 10)
      }
    })
  })

  it('holds a pitch or enters it, whichever costs less', () => {
    const count = 10
    const space = workspace(4 * count + 2 * count, 4)
    const [cost, next, held] = [space.floats(count), space.floats(count), space.bytes(count)]
    const pitches = space.doubles(count)
    for (let k = 0; k < count; k++) pitches[k] = 60 + k / 3
    cost.set([3, 1, 4, 1, 5, 9, 2, 6, 5, 3])
    expect(space.run.leastOf(cost.byteOffset, count)).toBe(1)
    for (const at of [61, -1]) {
      const of = [cost, next, held, pitches].map((x) => x.byteOffset) as [number, number, number, number]
      space.run.holdStep(...of, count, at, 0.5, 4, 1.25, 1, 4.5)
      for (let k = 0; k < count; k++) {
        const emit = at < 0 ? 1.25 : Math.min(4, 0.5 * ((at - pitches[k]!) / 0.5) ** 2)
        expect(next[k]).toBeCloseTo(Math.min(cost[k]!, 4.5) - 1 + emit, 5)
        expect(held[k]).toBe(cost[k]! <= 4.5 ? 1 : 0)
      }
    }
  })

  it('the energy of long signals is summed over blocks, of channels and of their mean', () => {
    const a = noise(1, 44100, 0.5, 1)
    const b = noise(1, 44100, 0.5, 2)
    const plain = a.subarray(100, 40001).reduce((s, v) => s + v * v, 0)
    expect(energy(a, 100, 40001) / plain).toBeCloseTo(1, 5)
    const mean = a.reduce((s, v, i) => s + ((v + b[i]!) / 2) ** 2, 0)
    expect(meanEnergy([a, b]) / mean).toBeCloseTo(1, 5)
    expect(meanEnergy([a, a.map((v) => -v)])).toBe(0)
  })

  it('magnitudes of one, two and three spectra are the roots of their mean power', () => {
    const { run, made } = arrays(4, 64)
    const out = made[3]!
    for (const count of [1, 2, 3]) {
      const spectra = made.slice(0, count)
      const sum = meanMagnitudes(run, spectra, out)
      const power = (k: number, s: Float32Array): number =>
        k === 0 ? s[0]! ** 2 : k === 32 ? s[1]! ** 2 : s[2 * k]! ** 2 + s[2 * k + 1]! ** 2
      let total = 0
      for (let k = 0; k <= 32; k++) {
        const mean = spectra.reduce((t, s) => t + power(k, s), 0) / count
        total += mean
        expect(out[k]).toBeCloseTo(Math.sqrt(mean), 5)
      }
      expect(sum).toBeCloseTo(total, 3)
    }
  })

  it.each([1, 2])('a smoothed log spectrum is raised by %d times what it lies below the other', (push) => {
    const half = 32
    const { run, made } = arrays(3, 2 * half)
    const [log, spectrum, out] = made as [Float32Array, Float32Array, Float32Array]
    const before = spectrum.slice()
    const smooth = (k: number): number => before[k === half ? 1 : 2 * k]!
    const away = run.raise(log.byteOffset, spectrum.byteOffset, out.byteOffset, half, push)
    let most = 0
    for (let k = 0; k <= half; k++) {
      const d = Math.max(0, log[k]! - smooth(k))
      most = Math.max(most, d)
      expect(out[k]).toBe(smooth(k))
      expect(spectrum[k === half ? 1 : 2 * k]).toBeCloseTo(smooth(k) + push * d, 6)
      if (k > 0 && k < half) expect(spectrum[2 * k + 1]).toBe(0)
    }
    expect(away).toBeCloseTo(most, 6)
  })

  it.each([0.5, 1.26, 4])('gains warp a log envelope by %d, none by more than 43 dB', (factor) => {
    const half = 64
    const { run, made } = arrays(2, 2 * half)
    const [envelope, gains] = made as [Float32Array, Float32Array]
    for (let k = 0; k <= half; k++) envelope[k]! *= 12
    run.warpGains(envelope.byteOffset, factor, 5, half, gains.byteOffset)
    for (let k = 0; k < half; k++) {
      const lower = Math.min(half - 1, Math.floor(k * factor))
      const share = Math.min(1, k * factor - lower)
      const there = envelope[lower]! + share * (envelope[lower + 1]! - envelope[lower]!)
      const gain = Math.exp(Math.max(-5, Math.min(5, there - envelope[k]!)))
      expect(gains[2 * k]! / gain).toBeCloseTo(1, 5)
      expect(gains[2 * k + 1]).toBe(gains[2 * k])
    }
    expect(Math.max(...gains)).toBeCloseTo(Math.exp(5), 3)
  })

  it('convolves circularly', () => {
    const { made } = arrays(3, 96)
    const [a, b, out] = made as [Float32Array, Float32Array, Float32Array]
    realFft(96).convolve(a, b, out)
    for (let k = 0; k < 96; k++) {
      let sum = 0
      for (let i = 0; i < 96; i++) sum += a[i]! * b[(k - i + 96) % 96]!
      expect(out[k]).toBeCloseTo(sum, 4)
    }
  })
})

describe('a workspace that is used again', () => {
  it('has the same loops and zeros every time, and is larger when it must be', () => {
    const again = workspaceAgain()
    const first = again(64, 4)
    first.floats(40).fill(3)
    first.doubles(2).fill(3)
    const second = again(64, 4)
    expect(second.run).toBe(first.run)
    const made = second.floats(3)
    second.floats(20)
    // And what lies between them, which loops may read.
    const all = new Float32Array(made.buffer, made.byteOffset, 40)
    expect([...all]).toEqual(new Array(40).fill(0))
    const larger = again(100_000, 4)
    larger.floats(99_000).fill(1)
    expect(larger.run).not.toBe(first.run)
    expect(again(64, 4).run).toBe(larger.run)
  })
})
