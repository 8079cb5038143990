// Renders wanted pieces in a pool, nearest first, and keeps them by content hash.
import { Cancelled } from '../../core/errors'
import type { AudioData } from '../../core/audio/buffer'
import type { Piece } from '../../core/render/plan'
import { isVerbatim } from '../../core/stretch/spans'
import { IN_HAND, type WorkerPool } from './pool'

/** Bytes of rendered samples that are kept. */
const KEEP_BYTES = 500e6

type Rendered = readonly Float32Array[]

/** Called when a piece has arrived. */
type Arrival = (piece: Piece) => void

const bytesOf = (r: Rendered): number => r.reduce((n, c) => n + c.byteLength, 0)

export class Renderer {
  private readonly cache = new Map<string, Rendered>()
  private bytes = 0
  private wanted: readonly Piece[] = []
  private readonly running = new Map<string, AbortController>()
  /** Told about every arrival, and about failures that are no cancellation. */
  onArrival: Arrival = () => {}
  onError: (e: unknown) => void = () => {}

  /** @param recordings audio at the session's rate, or undefined before it is loaded */
  constructor(
    private readonly pool: WorkerPool,
    private readonly recordings: (id: string) => AudioData | undefined,
  ) {}

  /** Rendered samples of a piece; unstretched pieces are views of the recordings. */
  readonly samples = (piece: Piece): Rendered | undefined => {
    const known = this.cache.get(piece.key)
    if (known) {
      // Put last, so that what was used least recently goes first.
      this.cache.delete(piece.key)
      this.cache.set(piece.key, known)
      return known
    }
    return this.view(piece)
  }

  private view(piece: Piece): Rendered | undefined {
    if (!isVerbatim(piece.span, piece.settings)) return undefined
    const out: Float32Array[] = []
    for (const id of piece.recordings) {
      const audio = this.recordings(id)
      if (!audio) return undefined
      for (const c of audio.channels) {
        if (piece.span.from < 0 || piece.span.to > c.length) return undefined
        out.push(c.subarray(piece.span.from, piece.span.to))
      }
    }
    return out
  }

  /** Says what is wanted, most urgent first; work on pieces no longer wanted is cancelled. */
  want(pieces: readonly Piece[]): void {
    this.wanted = pieces.filter((p) => !this.samples(p))
    const keys = new Set(this.wanted.map((p) => p.key))
    for (const [key, abort] of this.running) if (!keys.has(key) && !key.endsWith('!')) abort.abort()
    this.dispatch()
  }

  /** A piece, now or as soon as it is rendered. @throws Cancelled */
  async get(piece: Piece, signal?: AbortSignal): Promise<Rendered> {
    const known = this.samples(piece)
    if (known) return known
    return this.start(piece, signal)
  }

  private dispatch(): void {
    for (const piece of this.wanted) {
      if (this.running.size >= this.pool.size * IN_HAND) return
      if (this.running.has(piece.key) || this.samples(piece)) continue
      void this.start(piece).catch((e: unknown) => {
        if (!(e instanceof Cancelled)) this.onError(e)
      })
    }
  }

  private async start(piece: Piece, signal?: AbortSignal): Promise<Rendered> {
    const abort = new AbortController()
    // Work somebody waits for (an export) is not cancelled when the playhead moves on.
    const key = signal ? `${piece.key}!` : piece.key
    signal?.addEventListener('abort', () => abort.abort(), { once: true })
    this.running.set(key, abort)
    try {
      const out = await this.pool.run((w, flag) => w.render(piece, flag), abort.signal, true)
      this.put(piece.key, out)
      this.onArrival(piece)
      return out
    } finally {
      this.running.delete(key)
      this.dispatch()
    }
  }

  private put(key: string, samples: Rendered): void {
    this.cache.set(key, samples)
    this.bytes += bytesOf(samples)
    for (const [old, r] of this.cache) {
      if (this.bytes <= KEEP_BYTES) break
      this.cache.delete(old)
      this.bytes -= bytesOf(r)
    }
  }
}
