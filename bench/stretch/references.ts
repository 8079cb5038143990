// Stretching libraries from the registry, for comparison only: never shipped.
import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import path from 'node:path'
import { RubberBandInterface, RubberBandOption } from 'rubberband-wasm'
import { SimpleFilter, SoundTouch } from 'soundtouchjs'

/** Planar audio stretched by a ratio. */
export type Stretching = (channels: readonly Float32Array[], rate: number, ratio: number) => Float32Array[]

/** Planar audio transposed by a factor. */
export type Transposing = (channels: readonly Float32Array[], rate: number, pitch: number) => Float32Array[]

const spectral =
  (band: RubberBandInterface, options: number) =>
  (channels: readonly Float32Array[], rate: number, ratio: number, pitch = 1): Float32Array[] => {
    const length = channels[0]!.length
    const state = band.rubberband_new(rate, channels.length, options, ratio, pitch)
    band.rubberband_set_expected_input_duration(state, length)
    const block = 4096
    band.rubberband_set_max_process_size(state, block)
    const pointers = channels.map(() => band.malloc(block * 4))
    const list = band.malloc(channels.length * 4)
    pointers.forEach((p, i) => band.memWritePtr(list + 4 * i, p))
    const out = channels.map(() => new Float32Array(Math.ceil(length * ratio) + rate))
    let got = 0
    const each = (work: (n: number, last: 0 | 1) => void): void => {
      for (let at = 0; at < length; at += block) {
        const n = Math.min(block, length - at)
        channels.forEach((c, i) => band.memWrite(pointers[i]!, c.subarray(at, at + n)))
        work(n, at + n >= length ? 1 : 0)
      }
    }
    const fetch = (): void => {
      for (;;) {
        const ready = Math.min(block, band.rubberband_available(state))
        if (ready <= 0) return
        const n = band.rubberband_retrieve(state, list, ready)
        channels.forEach((_, i) => out[i]!.set(band.memReadF32(pointers[i]!, n), got))
        got += n
      }
    }
    each((n, last) => band.rubberband_study(state, list, n, last))
    each((n, last) => {
      band.rubberband_process(state, list, n, last)
      fetch()
    })
    fetch()
    for (const p of [...pointers, list]) band.free(p)
    band.rubberband_delete(state)
    return out.map((x) => x.subarray(0, got))
  }

const timeDomain: Stretching = (channels, _rate, ratio) => {
  const touch = new SoundTouch()
  touch.tempo = 1 / ratio
  const [left, right = left] = channels
  const source = {
    extract(target: Float32Array, count: number, from = 0): number {
      const n = Math.max(0, Math.min(count, left!.length - from))
      for (let i = 0; i < n; i++) {
        target[2 * i] = left![from + i]!
        target[2 * i + 1] = right![from + i]!
      }
      return n
    },
  }
  const filter = new SimpleFilter(source, touch)
  const length = Math.round(left!.length * ratio)
  const out = channels.map(() => new Float32Array(length))
  const chunk = new Float32Array(2 * 4096)
  for (let at = 0; at < length;) {
    const n = Math.min(filter.extract(chunk, 4096), length - at)
    if (n <= 0) break
    for (let i = 0; i < n; i++) out.forEach((o, c) => (o[at + i] = chunk[2 * i + c]!))
    at += n
  }
  return out
}

async function opened(): Promise<RubberBandInterface> {
  const folder = path.dirname(createRequire(import.meta.url).resolve('rubberband-wasm'))
  const module = await WebAssembly.compile(readFileSync(path.join(folder, 'rubberband.wasm')))
  return RubberBandInterface.initialize(module)
}

/** The reference libraries by what they are called here. */
export async function references(): Promise<Record<string, Stretching>> {
  const band = await opened()
  return {
    'spectral, fine': spectral(
      band,
      RubberBandOption.RubberBandOptionEngineFiner | RubberBandOption.RubberBandOptionChannelsTogether,
    ),
    'spectral, fast': spectral(band, RubberBandOption.RubberBandOptionChannelsTogether),
    'time domain': timeDomain,
  }
}

/** Those that can keep formants while they transpose. */
export async function transposers(): Promise<Record<string, Transposing>> {
  const band = await opened()
  const { RubberBandOptionFormantPreserved: kept, RubberBandOptionEngineFiner: fine } = RubberBandOption
  const by =
    (options: number): Transposing =>
    (channels, rate, pitch) =>
      spectral(band, options)(channels, rate, 1, pitch)
  return { 'spectral, fine': by(fine | kept), 'spectral, fast': by(kept) }
}
