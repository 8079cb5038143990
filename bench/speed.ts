// Speed of the core, each as a ratio to a reference in the same run: fft.js on a real 2048-point transform.
import FFT from 'fft.js'
import { noise, struck } from '../tests/support/signals'
import { median } from '../tests/support/measure'
import { analyse, measure } from '../src/core/analysis/analyse'
import { buildPeaks, readPeaks } from '../src/core/audio/peaks'
import { realFft } from '../src/core/dsp/fft'
import { stretchAudio } from '../src/core/stretch/stretch'
import { DEFAULT_STRETCH } from '../src/core/stretch/types'

/** Median seconds of a few runs. */
function time(runs: number, work: () => void): number {
  work()
  return median(
    Array.from({ length: runs }, () => {
      const start = performance.now()
      work()
      return (performance.now() - start) / 1000
    }),
  )
}

const print = (name: string, value: string): void =>
  void process.stdout.write(`${name.padEnd(58)} ${value}\n`)

const SIZE = 2048

/** Seconds that fft.js needs here and now for a real transform of 2048 points. */
export function referenceTime(runs = 5): number {
  const other = new FFT(SIZE)
  const complex = other.createComplexArray()
  const list = [...noise(1, SIZE, 1, 1)]
  return (
    time(runs, () => {
      for (let i = 0; i < 2000; i++) other.realTransform(complex, list)
    }) / 2000
  )
}

/** Issue bars are stated for a machine where the reference needs so many seconds. */
const STATED = 86e-6

interface Cost {
  /** Seconds, and of processor time: what other threads of the process spend (compilers, collectors) counts too. */
  readonly wall: number
  readonly cpu: number
}

/**
 * What work costs on a machine as the bars are stated for: medians of runs, each scaled by the reference just before
 * and just after it, as a machine's speed may double within a minute.
 */
function scaledCost(runs: number, work: () => void): Cost {
  work()
  const costs = Array.from({ length: runs }, (): Cost => {
    const before = referenceTime(1)
    const [start, cpu] = [performance.now(), process.cpuUsage()]
    work()
    const { user, system } = process.cpuUsage(cpu)
    const wall = (performance.now() - start) / 1000
    const scale = (2 * STATED) / (before + referenceTime(1))
    return { wall: wall * scale, cpu: ((user + system) / 1e6) * scale }
  })
  return { wall: median(costs.map((c) => c.wall)), cpu: median(costs.map((c) => c.cpu)) }
}

export function benchSpeed(): void {
  const size = SIZE
  const x = noise(1, size, 1, 1)
  const reference = referenceTime()
  const packed = new Float32Array(size)
  const plan = realFft(size)
  const ours =
    time(5, () => {
      for (let i = 0; i < 2000; i++) plan.forward(x, packed)
    }) / 2000
  print('fft.js, real 2048 points (the reference)', `${(reference * 1e6).toFixed(1)} µs`)
  print('PFFFT behind core/dsp/fft, times faster', (reference / ours).toFixed(1))
  const scale = STATED / reference

  const minute = struck(1, 60, 44100, 2)
  const found = scaledCost(5, () => measure(minute.channels, 44100))
  print('Transients and pitch of a stereo minute, s at 86 µs a transform', found.wall.toFixed(2))
  const whole = scaledCost(9, () => analyse(minute.channels, 44100))
  print('Whole analysis of a stereo minute, s at 86 µs a transform', whole.wall.toFixed(2))
  print('The same as processor time of the process', whole.cpu.toFixed(2))
  for (const method of ['hits', 'chords'] as const)
    for (const ratio of [0.8, 1.25]) {
      const length = minute.channels[0]!.length
      const map = [
        { source: 0, target: 0 },
        { source: length, target: Math.round(length * ratio) },
      ]
      const took = time(3, () =>
        stretchAudio({ channels: minute.channels, sampleRate: 44100 }, map, minute.attacks, {
          ...DEFAULT_STRETCH,
          method,
        }),
      )
      print(
        `${method} at ${ratio}, times faster than real time, scaled`,
        ((60 * ratio) / (took * scale)).toFixed(0),
      )
    }
  const long = noise(600, 44100, 0.5, 2)
  print('Peak pyramid of ten minutes, ms scaled', (1000 * time(3, () => buildPeaks(long)) * scale).toFixed(0))
  const peaks = buildPeaks(long)
  const out = new Float32Array(2 * 1280)
  const draw = [10, 100, 1000, 20000].map((step) => time(5, () => readPeaks(peaks, long, 1000, step, out)))
  print('1280 columns at any zoom, worst, ms scaled', (1000 * Math.max(...draw) * scale).toFixed(2))
}
