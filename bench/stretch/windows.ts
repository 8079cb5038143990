// Spectral convergence by the length of its windows, on signals where its mean is not below every library's.
import { spectralDistances, WINDOWS } from './metrics'
import { references, type Stretching } from './references'
import { ours, RATE, row, sampledSignals, SIGNALS } from './signals'

const LOOKED_AT = /bass|guitar|oboe|voice|busy/

/** Rows of each window's convergence, by ours and by the libraries. */
export async function byWindow(ratio: number): Promise<void> {
  process.stdout.write(`\nConvergence at ${ratio} by window\n`)
  row(['signal', 'by', ...WINDOWS.map(String)])
  const libraries = Object.entries(await references())
  for (const { name, methods, make } of [...SIGNALS, ...sampledSignals()]) {
    if (!LOOKED_AT.test(name)) continue
    const { channels } = make()
    const all = [...methods.map((m): [string, Stretching] => [m, ours(m)]), ...libraries]
    for (const [who, stretch] of all) {
      const each = spectralDistances(channels[0]!, stretch(channels, RATE, ratio)[0]!, ratio)
      row([name, who, ...each.map((s) => s.convergence.toFixed(3))])
    }
  }
}
