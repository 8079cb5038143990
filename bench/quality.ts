// The figures that an ear would ask for, on the demo session: detection, and the attacks after quantize.
import { SAMPLE_RATE, slackWater } from '../demo/slack-water'
import { quantizedDemo } from '../tests/support/demo-quantize'
import { median, onsetScore, percentile } from '../tests/support/measure'
import { defaultAttacks, measure } from '../src/core/analysis/analyse'

const print = (name: string, value: string): void =>
  void process.stdout.write(`${name.padEnd(58)} ${value}\n`)

export function benchQuality(): void {
  for (const [i, t] of slackWater().entries()) {
    const found = defaultAttacks(measure(t.channels, SAMPLE_RATE).transients, SAMPLE_RATE)
    const times = found.map((f) => f.at / SAMPLE_RATE)
    const truth = t.onsets.map((o) => o.time)
    const wide = onsetScore(truth, times, 0.05)
    const close = onsetScore(truth, times, 0.01)
    const error = median(close.errors.map((e) => Math.abs(1000 * e)))
    print(
      `${t.name}: onset F at ±50 ms, ±10 ms; median error`,
      `${wide.f.toFixed(3)}  ${close.f.toFixed(3)}  ${error.toFixed(2)} ms`,
    )
    const before = t.onsets.map((o) => 1000 * Math.abs(o.time - o.intended))
    const after = quantizedDemo(t, i === 0 ? 16 : 8).deviations
    const pair = (v: readonly number[]): string =>
      `${median(v).toFixed(2)} / ${percentile(v, 0.95).toFixed(2)} ms`
    print(`${t.name}: |attack - grid| median / 95th, before → after`, `${pair(before)} → ${pair(after)}`)
  }
}
