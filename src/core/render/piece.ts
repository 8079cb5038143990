// Renders one piece: the same code in a worker and on Node.
import { resample } from '../audio/resample'
import type { AudioData } from '../audio/buffer'
import { openSpan } from '../stretch/methods'
import type { Source } from '../stretch/types'
import type { Piece } from './plan'

/** Recordings by id, at their own rates. */
export type Recordings = (id: string) => AudioData

/** The recordings of a piece as one source at its rate; shorter ones are followed by silence. */
export function sourceOf(piece: Pick<Piece, 'recordings' | 'sampleRate'>, recordings: Recordings): Source {
  const all = piece.recordings.map((id) => resampled(recordings(id), piece.sampleRate))
  return { sampleRate: piece.sampleRate, channels: all.flatMap((a) => a.channels) }
}

const cache = new WeakMap<AudioData, AudioData>()

/** A recording at a rate; the conversion is made once. */
export function resampled(audio: AudioData, rate: number): AudioData {
  if (audio.sampleRate === rate) return audio
  const known = cache.get(audio)
  if (known?.sampleRate === rate) return known
  const made = resample(audio, rate)
  cache.set(audio, made)
  return made
}

const BLOCK = 16384

/**
 * Renders a piece.
 *
 * @param check called about three times a second of output; may throw to cancel
 * @returns planar samples of the span's length, all recordings' channels in order
 */
export function renderPiece(piece: Piece, recordings: Recordings, check?: () => void): Float32Array[] {
  const source = sourceOf(piece, recordings)
  const { length } = piece.span
  const out = source.channels.map(() => new Float32Array(length))
  const voice = openSpan(source, piece.span, piece.settings)
  for (let at = 0; at < length; at += BLOCK) {
    check?.()
    voice.pull(out, at, Math.min(BLOCK, length - at))
  }
  return out
}
