// Long audio: how much memory analysis and stretching take beyond the samples themselves.
import { setFlagsFromString } from 'node:v8'
import { runInNewContext } from 'node:vm'
import { sine, struck } from '../tests/support/signals'
import { analyse } from '../src/core/analysis/analyse'
import { openStretcher } from '../src/core/stretch/stretch'
import { DEFAULT_STRETCH, METHOD_NAMES, type StretchSettings } from '../src/core/stretch/types'

const print = (name: string, value: string): void =>
  void process.stdout.write(`${name.padEnd(58)} ${value}\n`)

/** Most that typed arrays hold while a tone without any attack is stretched to 1.25, beyond the recording, MB. */
function held(minutes: number, settings: StretchSettings, collect: () => void): number {
  const rate = 44100
  const x = sine(220, 60 * minutes, rate)
  const map = [
    { source: 0, target: 0 },
    { source: x.length, target: Math.round(1.25 * x.length) },
  ]
  collect()
  const before = process.memoryUsage().arrayBuffers
  const stretcher = openStretcher({ sampleRate: rate, channels: [x] }, map, [], settings)
  const out = [new Float32Array(4096)]
  let most = 0
  for (let n = 0; stretcher.read(out, 0, 4096) > 0; n++) {
    if (n % 256 !== 1) continue
    collect()
    most = Math.max(most, process.memoryUsage().arrayBuffers - before)
  }
  return most / 1e6
}

function benchStretchMemory(): void {
  setFlagsFromString('--expose_gc')
  const collect = runInNewContext('gc') as () => void
  const ways: [string, StretchSettings][] = [
    ...METHOD_NAMES.map((method): [string, StretchSettings] => [method, { ...DEFAULT_STRETCH, method }]),
    ['chords, 3 semitones up, formants kept', { ...DEFAULT_STRETCH, pitch: 2 ** 0.25, formants: 'keep' }],
    ['line, the same', { ...DEFAULT_STRETCH, method: 'line', pitch: 2 ** 0.25, formants: 'keep' }],
  ]
  for (const [name, settings] of ways) {
    const [one, four] = [1, 4].map((m) => held(m, settings, collect)) as [number, number]
    print(
      `Stretching 1 and 4 minutes without an attack, MB held: ${name}`,
      `${one.toFixed(1)}, ${four.toFixed(1)}`,
    )
  }
}

export function benchLong(): void {
  benchStretchMemory()
  const rate = 44100
  const minute = struck(4, 60, rate, 1, 4).channels[0]!
  const x = new Float32Array(7200 * rate)
  for (let at = 0; at < x.length; at += minute.length)
    x.set(minute.subarray(0, Math.min(minute.length, x.length - at)), at)
  const before = process.memoryUsage().rss
  let peak = before
  const start = performance.now()
  const found = analyse([x], rate, [], () => {
    peak = Math.max(peak, process.memoryUsage.rss())
  })
  peak = Math.max(peak, process.memoryUsage.rss())
  print('Two hours of mono: memory beyond the samples, MB', ((peak - before) / 1e6).toFixed(0))
  print('Two hours of mono: transients found', String(found.transients.length))
  print('Two hours of mono: analysed in, s', ((performance.now() - start) / 1000).toFixed(0))
}
