// Spectral convergence by the length of its windows, on signals where its mean is not below every library's.
import { spectralDistances, WINDOWS } from './metrics'
import { references, type Stretching } from './references'
import { ours, RATE, row, sampledSignals, SIGNALS, withAttacks } from './signals'

const LOOKED_AT = /bass|guitar|oboe|voice|busy/

/** How late a recording is read to be told from itself, seconds. */
const LATE = 0.004

/**
 * Rows of each window's convergence, by ours and by the libraries; by Chords as it is with no attack kept; and of the
 * recording against itself, read a little late, which is the same to an ear.
 */
export async function byWindow(ratio: number): Promise<void> {
  process.stdout.write(`\nConvergence at ${ratio} by window\n`)
  row(['signal', 'by', ...WINDOWS.map(String), 'mean'])
  const libraries = Object.entries(await references())
  for (const { name, methods, make } of [...SIGNALS, ...sampledSignals()]) {
    if (!LOOKED_AT.test(name)) continue
    const { channels } = make()
    const told = (who: string, output: Float32Array, by: number): void => {
      const each = spectralDistances(channels[0]!, output, by).map((s) => s.convergence)
      const mean = each.reduce((sum, v) => sum + v, 0) / each.length
      row([name, who, ...[...each, mean].map((v) => v.toFixed(3))])
    }
    const all: (readonly [string, Stretching])[] = [
      ...methods.map((m) => [m, ours(m)] as const),
      ['none kept', withAttacks('chords', () => [])],
      ...libraries,
    ]
    for (const [who, stretch] of all) told(who, stretch(channels, RATE, ratio)[0]!, ratio)
    const late = new Float32Array(channels[0]!.length)
    late.set(channels[0]!.subarray(Math.round(LATE * RATE)))
    told('itself late', late, 1)
  }
}
