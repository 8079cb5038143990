// npm run bench [speed|quality|stretch|tempo|analysis|references|fit|long|dropped|heard|tempo-heard|frames]: measurements run by hand; the last four need a build.
import { loadFft } from '../src/core/dsp/fft'
import { benchAnalysis, benchReferences } from './analysis'
import { fit } from './fit/fit'
import { benchFrames, benchHeard } from './browser'
import { benchDropped } from './browser-drop'
import { benchLong } from './long'
import { benchQuality } from './quality'
import { benchSpeed } from './speed'
import { benchStretch } from './stretch/stretch'
import { benchTempo } from './tempo'
import { benchTempoHeard } from './browser-tempo'

async function main(): Promise<void> {
  await loadFft()
  const asked = process.argv.slice(2)
  const parts: Record<string, () => unknown> = {
    speed: benchSpeed,
    quality: benchQuality,
    stretch: benchStretch,
    tempo: benchTempo,
    analysis: () => benchAnalysis(asked),
    references: () => benchReferences(asked),
    long: benchLong,
    dropped: benchDropped,
    heard: benchHeard,
    'tempo-heard': benchTempoHeard,
    frames: benchFrames,
  }
  if (asked.includes('fit')) return fit(asked)
  for (const [name, run] of Object.entries(parts)) {
    if (asked.length && !asked.includes(name)) continue
    process.stdout.write(`\n${name}\n`)
    await run()
  }
}
await main()
