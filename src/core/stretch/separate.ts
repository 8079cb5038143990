// Parts tones from everything else, block by block, at fixed places of the recording.
import { realFft } from '../dsp/fft'
import { workspace } from '../dsp/kernels/kernels'
import { copyRange } from '../dsp/signal'
import { hann } from '../dsp/windows'
import type { Source } from './types'

/** Window, seconds: four hops long. */
const WINDOW_SECONDS = 0.093
const OVERLAP = 4
const OVERLAP_GAIN = 1 / 1.5
/** Frames on either side that a bin's median over time takes in. */
const SIDE = 4
/** Distance of the nine bins of the median over frequency, Hz. */
const APART = 43
/** Hops of a block. */
const HOPS = 16
/** Blocks kept of one recording, so that neighbouring spans need not make them again. */
const MOST_BLOCKS = 24

type Block = readonly Float32Array[]
const kept = new WeakMap<
  Float32Array,
  { readonly channels: readonly Float32Array[]; readonly blocks: Map<number, Block> }
>()

function makeRoom(size: number, channelCount: number, apart: number) {
  const half = size / 2
  const row = half + 8 * apart + 8
  const frames = HOPS + OVERLAP - 1
  const shown = frames + 2 * SIDE
  const space = workspace(
    2 * size + shown * row + (2 + frames * channelCount + channelCount) * size + half,
    16 + frames * channelCount,
  )
  const window = space.floats(size)
  window.set(hann(size))
  return {
    size,
    channelCount,
    row,
    ...space,
    window,
    frame: space.floats(size),
    rows: space.floats(shown * row),
    sum: space.floats(half + 8),
    mask: space.floats(half + 8),
    spare: Array.from({ length: channelCount }, () => space.floats(size)),
    spectra: Array.from({ length: frames * channelCount }, () => space.floats(size)),
  }
}
let room: ReturnType<typeof makeRoom> | undefined

/**
 * The tones of one block of the recording.
 *
 * Magnitudes of all channels taken together by power; a bin that stands out of its neighbours in frequency more than
 * of those in time is a tone's (soft mask), in all channels alike.
 */
function makeBlock(source: Source, index: number): Block {
  const size = 2 ** Math.round(Math.log2(WINDOW_SECONDS * source.sampleRate))
  const half = size / 2
  const hop = size / OVERLAP
  const count = source.channels.length
  const apart = Math.max(1, Math.round((APART * size) / source.sampleRate))
  if (room?.size !== size || room.channelCount !== count) room = makeRoom(size, count, apart)
  const { run, row, rows, frame, window, mask, spare, spectra } = room
  const fft = realFft(size)
  const made = HOPS + OVERLAP - 1
  const first = index * HOPS - (OVERLAP - 1)
  for (let f = -SIDE; f < made + SIDE; f++) {
    const into = f >= 0 && f < made ? spectra.slice(f * count, (f + 1) * count) : spare
    const start = (first + f) * hop
    const magnitudes = rows.byteOffset + 4 * ((f + SIDE) * row + 4 * apart)
    source.channels.forEach((x, c) => {
      copyRange(x, start, start + size, frame.fill(0))
      run.multiply(frame.byteOffset, window.byteOffset, frame.byteOffset, size)
      fft.forward(frame, into[c]!)
    })
    if (count <= 2) run.meanMagnitudes(into[0]!.byteOffset, into[count - 1]!.byteOffset, magnitudes, half)
    else
      for (let k = 0; k < half; k++) {
        let power = 0
        for (const s of into) power += s[2 * k]! ** 2 + s[2 * k + 1]! ** 2
        rows[(f + SIDE) * row + 4 * apart + k] = Math.sqrt(power)
      }
  }
  const sums = source.channels.map(() => new Float32Array(HOPS * hop))
  for (let f = 0; f < made; f++) {
    run.tonalMask(rows.byteOffset + 4 * (f * row + 4 * apart), row, apart, mask.byteOffset, half)
    const at = (f - (OVERLAP - 1)) * hop
    for (let c = 0; c < count; c++) {
      const s = spectra[f * count + c]!
      run.weigh(s.byteOffset, mask.byteOffset, half)
      fft.inverse(s, frame)
      run.multiply(frame.byteOffset, window.byteOffset, frame.byteOffset, size)
      const sum = sums[c]!
      const to = Math.min(size, sum.length - at)
      for (let i = Math.max(0, -at); i < to; i++) sum[at + i]! += frame[i]! * OVERLAP_GAIN
    }
  }
  return sums
}

/**
 * The tones of a range of a recording; what is left over is its attacks and its noise.
 *
 * @returns planar audio of to - from samples
 * Sources: D. FitzGerald, "Harmonic/percussive separation using median filtering", DAFx 2010; J. Driedger, M. Müller
 * & S. Ewert, "Improving time-scale modification of music signals using harmonic-percussive separation", IEEE SPL
 * 21(1), 2014.
 */
export function tonesOf(source: Source, from: number, to: number): Float32Array[] {
  const key = source.channels[0]!
  const known = kept.get(key)
  const same =
    known?.channels.every((c, i) => c === source.channels[i]) &&
    known.channels.length === source.channels.length
  const blocks = same ? known!.blocks : new Map<number, Block>()
  if (!same) kept.set(key, { channels: [...source.channels], blocks })
  const size = 2 ** Math.round(Math.log2(WINDOW_SECONDS * source.sampleRate))
  const width = HOPS * (size / OVERLAP)
  const out = source.channels.map(() => new Float32Array(to - from))
  for (let b = Math.floor(from / width); b * width < to; b++) {
    let block = blocks.get(b)
    if (block) blocks.delete(b)
    else block = makeBlock(source, b)
    blocks.set(b, block)
    if (blocks.size > MOST_BLOCKS) blocks.delete(blocks.keys().next().value!)
    const [lo, hi] = [Math.max(from, b * width), Math.min(to, (b + 1) * width)]
    block.forEach((x, c) => out[c]!.set(x.subarray(lo - b * width, hi - b * width), lo - from))
  }
  return out
}
