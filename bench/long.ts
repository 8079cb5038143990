// Two hours of audio: how much memory the whole analysis takes beyond the samples themselves.
import { struck } from '../tests/support/signals'
import { analyse } from '../src/core/analysis/analyse'

const print = (name: string, value: string): void =>
  void process.stdout.write(`${name.padEnd(58)} ${value}\n`)

export function benchLong(): void {
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
