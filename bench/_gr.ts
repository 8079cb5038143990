import { loadFft } from '../src/core/dsp/fft'
import { stretchAudio } from '../src/core/stretch/stretch'
import { DEFAULT_STRETCH } from '../src/core/stretch/types'
import { flatness, hiss, kurtosis, repetition, shower } from '../tests/support/textures'
import { db, rms } from '../tests/support/measure'
await loadFft()
const R = 44100
const ns: [string, Float32Array][] = [
  ['hiss', hiss(20, R, 5)],
  ['rain', shower(20, R, 400, 0.002, 3)],
  ['applause', shower(20, R, 150, 0.006, 5)],
]
for (const [n, x] of ns)
  for (const size of [10, 60, 400])
    for (const scatter of [0, 40, 100]) {
      const row = []
      for (const ratio of [0.5, 0.75, 1.5, 3]) {
        const y = stretchAudio(
          { channels: [x], sampleRate: R },
          [
            { source: 0, target: 0 },
            { source: x.length, target: Math.round(x.length * ratio) },
          ],
          [],
          { ...DEFAULT_STRETCH, method: 'grains', size, scatter },
        )[0]!
        const hop = Math.max(32, Math.round((size / 2000) * R))
        row.push(
          `${db(rms(y) / rms(x)).toFixed(2)} ${(flatness(y) - flatness(x)).toFixed(2)} ${(kurtosis(y) - kurtosis(x)).toFixed(2)} ${repetition(y, Math.max(20, hop - 40), hop + 40, 8).toFixed(3)}`,
        )
      }
      console.log(n, size, scatter, row.join(' | '))
    }
