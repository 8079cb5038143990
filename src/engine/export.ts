// Renders a range of a plan to a WAV file: the same samples that playback plays.
import { encodeSamples, wavHeader, type WavDepth } from '../core/audio/wav-write'
import { Cancelled } from '../core/errors'
import { peakOf } from '../core/render/levels'
import { mixRange, piecesIn } from '../core/render/mix'
import type { Piece, Plan } from '../core/render/plan'
import type { Renderer } from './workers/renderer'

const BLOCK = 65536
/** Pieces asked for ahead of the block being written. */
const AHEAD = 6

export interface Exported {
  readonly file: Blob
  readonly frames: number
  /** Linear. */
  readonly peak: number
  /** SHA-256 of the file, hexadecimal. */
  readonly checksum: string
}

/**
 * Exports session samples [from, to).
 *
 * @param progress told the share done, 0-1
 * @throws Cancelled when the signal fires
 */
export async function exportWav(
  plan: Plan,
  renderer: Renderer,
  range: { readonly from: number; readonly to: number },
  depth: WavDepth,
  progress: (done: number) => void,
  signal: AbortSignal,
): Promise<Exported> {
  const { from, to } = range
  const pieces = piecesIn(plan, from, to)
  const asked = new Map<string, Promise<readonly Float32Array[]>>()
  const have = new Map<string, readonly Float32Array[]>()
  let next = 0
  const ask = (piece: Piece): Promise<readonly Float32Array[]> => {
    const known = asked.get(piece.key)
    if (known) return known
    const promise = renderer.get(piece, signal)
    // A failure is met where the piece is awaited; until then it must not count as unhandled.
    promise.catch(() => {})
    asked.set(piece.key, promise)
    return promise
  }
  const parts: BlobPart[] = [wavHeader(plan.channels, plan.sampleRate, to - from, depth) as BlobPart]
  let peak = 0
  for (let at = from; at < to; at += BLOCK) {
    if (signal.aborted) throw new Cancelled()
    const end = Math.min(to, at + BLOCK)
    const needed = piecesIn(plan, at, end)
    const keys = new Set(needed.map((p) => p.key))
    for (const key of have.keys()) if (!keys.has(key)) have.delete(key)
    while (next < pieces.length && (keys.has(pieces[next]!.key) || asked.size - have.size < AHEAD))
      ask(pieces[next++]!)
    for (const p of needed) have.set(p.key, await ask(p))
    const mixed = mixRange(plan, (p) => have.get(p.key), at, end)!
    peak = Math.max(peak, peakOf(mixed))
    parts.push(encodeSamples(mixed, depth, at - from) as BlobPart)
    progress((end - from) / (to - from))
    // The page gets a turn between blocks.
    await new Promise((done) => setTimeout(done, 0))
  }
  const bytes = parts.reduce((n, p) => n + (p as Uint8Array).length, 0)
  if (bytes % 2) parts.push(new Uint8Array(1))
  const file = new Blob(parts, { type: 'audio/wav' })
  const digest = new Uint8Array(await crypto.subtle.digest('SHA-256', await file.arrayBuffer()))
  const checksum = [...digest].map((b) => b.toString(16).padStart(2, '0')).join('')
  return { file, frames: to - from, peak, checksum }
}
