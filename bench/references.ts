// General-purpose reference libraries on the same recordings: aubio and Essentia, as their packages set them up.
import { createRequire } from 'node:module'
import type { Estimate } from './analysis'

const require = createRequire(import.meta.url)
const NAMES = ['C', 'C#', 'D', 'D#', 'E', 'F', 'F#', 'G', 'G#', 'A', 'A#', 'B']
const FLATS: Record<string, string> = { Db: 'C#', Eb: 'D#', Gb: 'F#', Ab: 'G#', Bb: 'A#' }

interface AubioModule {
  Onset: new (
    method: string,
    buffer: number,
    hop: number,
    rate: number,
  ) => {
    do(x: Float32Array): number
    getLast?(): number
  }
  Tempo: new (buffer: number, hop: number, rate: number) => { do(x: Float32Array): number; getBpm(): number }
  Pitch: new (method: string, buffer: number, hop: number, rate: number) => { do(x: Float32Array): number }
}

/** Blocks of `hop` samples with their index. */
function* blocks(x: Float32Array, hop: number): Generator<[Float32Array, number]> {
  for (let i = 0; i + hop <= x.length; i += hop) yield [x.subarray(i, i + hop), i / hop]
}

/** aubio 0.4 (P. Brossier): tempo, and pitch by yinfft; its package tells onsets by block only. */
export async function aubioEstimate(): Promise<(x: Float32Array, rate: number) => Estimate> {
  const aubio = await (require('aubiojs') as () => Promise<AubioModule>)()
  return (x, rate) => {
    const hop = 256
    const onset = new aubio.Onset('hfc', 1024, hop, rate)
    const tempo = new aubio.Tempo(1024, 512, rate)
    const pitch = new aubio.Pitch('yinfft', 2048, hop, rate)
    const onsets: number[] = []
    const f0: number[] = []
    for (const [block, i] of blocks(x, hop)) {
      // The detector reports a peak about two and a half blocks after it (its documented delay).
      if (onset.do(block)) onsets.push(Math.max(0, (i * hop - 2.5 * hop) / rate))
      const hz = pitch.do(block)
      f0.push(hz > 40 && hz < 1700 ? hz : 0)
    }
    const beats: number[] = []
    for (const [block, i] of blocks(x, 512)) if (tempo.do(block)) beats.push((i * 512) / rate)
    const steps = beats.slice(1).map((t, i) => t - beats[i]!)
    const middle = steps.sort((a, b) => a - b)[steps.length >> 1]
    return { onsets, beats, bpm: middle ? 60 / middle : 0, pitch: { hop: hop / rate, f0 } }
  }
}

/** Essentia 2.1 (MTG, UPF): onset rate, RhythmExtractor2013, probabilistic YIN, KeyExtractor. */
export function essentiaEstimate(): (x: Float32Array, rate: number) => Estimate {
  const { EssentiaWASM, Essentia } = require('essentia.js') as {
    EssentiaWASM: unknown
    Essentia: new (wasm: unknown) => Record<string, (...args: unknown[]) => Record<string, unknown>>
  }
  const e = new Essentia(EssentiaWASM)
  const list = (v: unknown): number[] => Array.from(e.vectorToArray!(v) as unknown as Float32Array)
  return (x, rate) => {
    const v = e.arrayToVector!(x)
    const rhythm = e.RhythmExtractor2013!(v)
    const onsets = list(e.OnsetRate!(v).onsets)
    const yin = e.PitchYinProbabilistic!(v, 2048, 256, 0.1, 'zero', false, rate)
    const key = e.KeyExtractor!(v) as { key: string; scale: string }
    return {
      onsets,
      beats: list(rhythm.ticks),
      bpm: rhythm.bpm as number,
      pitch: { hop: 256 / rate, f0: list(yin.pitch).map((hz) => (hz > 0 ? hz : 0)) },
      key: { tonic: NAMES.indexOf(FLATS[key.key] ?? key.key), mode: key.scale },
    }
  }
}
