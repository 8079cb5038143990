// Renders wanted pieces in a pool, nearest first, and keeps them by content hash.
import { Cancelled } from '../../core/errors'
import type { AudioData } from '../../core/audio/buffer'
import type { Piece } from '../../core/render/plan'
import { isVerbatim } from '../../core/stretch/spans'
import { IN_HAND, type WorkerPool } from './pool'

/**
 * Samples of one channel, and pieces, that go to a worker in one message at most: most pieces take less time than
 * their messages do on a busy page, and a slow method must not hold up what comes after it.
 */
const BATCH_SAMPLES = 65536
const BATCH_PIECES = 16

/** Bytes of rendered samples that are kept. */
const KEEP_BYTES = 500e6

type Rendered = readonly Float32Array[]

interface Batch {
  readonly keys: readonly string[]
  readonly abort: AbortController
}

/** Takes the first pieces of a list for one message; one that must go alone, or is long, is a message of its own. */
function batchOf(left: Piece[], alone: ReadonlySet<string>): Piece[] {
  const first = left[0]!
  let n = 1
  let samples = first.span.length
  while (n < Math.min(left.length, BATCH_PIECES) && !alone.has(first.key) && !alone.has(left[n]!.key)) {
    samples += left[n]!.span.length
    if (samples > BATCH_SAMPLES) break
    n++
  }
  return left.splice(0, n)
}

const bytesOf = (r: Rendered): number => r.reduce((n, c) => n + c.byteLength, 0)

export class Renderer {
  private readonly cache = new Map<string, Rendered>()
  private bytes = 0
  private wanted: readonly Piece[] = []
  /** Batches that workers have in hand. */
  private readonly ahead = new Set<Batch>()
  /** Pieces of batches that failed: each is tried alone, so that one takes no other with it, and only once. */
  private readonly alone = new Set<string>()
  private readonly failed = new Set<string>()
  /** Told when pieces have arrived, and about failures that are no cancellation. */
  onArrival: () => void = () => {}
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

  /** Says what is wanted, most urgent first; work of which nothing is wanted any more is cancelled. */
  want(pieces: readonly Piece[]): void {
    this.wanted = pieces.filter((p) => !this.samples(p))
    const keys = new Set(this.wanted.map((p) => p.key))
    for (const batch of this.ahead) if (!batch.keys.some((key) => keys.has(key))) batch.abort.abort()
    this.dispatch()
  }

  /** A piece, now or as soon as it is rendered. Work somebody waits for is not cancelled when the playhead moves on. @throws Cancelled */
  async get(piece: Piece, signal?: AbortSignal): Promise<Rendered> {
    const known = this.samples(piece)
    if (known) return known
    return (await this.render([piece], signal))[0]!
  }

  private dispatch(): void {
    const taken = new Set([...this.ahead].flatMap((b) => b.keys))
    const left = this.wanted.filter(
      (p) => !taken.has(p.key) && !this.failed.has(p.key) && !this.samples(p) && this.canRender(p),
    )
    while (left.length && this.ahead.size < this.pool.size * IN_HAND)
      void this.start(batchOf(left, this.alone))
  }

  /** Workers know a recording by the time it is known here. */
  private canRender(piece: Piece): boolean {
    return piece.recordings.every((id) => this.recordings(id) !== undefined)
  }

  /** Renders a batch ahead of its need. */
  private async start(pieces: readonly Piece[]): Promise<void> {
    const batch = { keys: pieces.map((p) => p.key), abort: new AbortController() }
    this.ahead.add(batch)
    try {
      await this.render(pieces, batch.abort.signal)
    } catch (e) {
      if (e instanceof Cancelled) return
      if (batch.keys.length > 1) for (const key of batch.keys) this.alone.add(key)
      else {
        this.failed.add(batch.keys[0]!)
        this.onError(e)
      }
    } finally {
      this.ahead.delete(batch)
      this.dispatch()
    }
  }

  private async render(pieces: readonly Piece[], signal?: AbortSignal): Promise<Rendered[]> {
    const out = await this.pool.run((w, flag) => w.render(pieces, flag), signal, 'short')
    pieces.forEach((p, i) => this.put(p.key, out[i]!))
    this.onArrival()
    return out
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
