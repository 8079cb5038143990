// The mix of a plan over any range: what is heard and what is exported are these samples.
import { lastAtOrBelow } from '../search'
import type { Piece, Placed, Plan, PlannedClip } from './plan'

/** Samples of a piece, all its channels; undefined when not rendered yet. */
export type PieceSamples = (piece: Piece) => readonly Float32Array[] | undefined

/** Placed pieces of a clip that sound in [from, to). */
function touching(clip: PlannedClip, from: number, to: number): readonly Placed[] {
  if (clip.end <= from || clip.start >= to) return []
  const first = Math.max(
    0,
    lastAtOrBelow(clip.placed.length, (i) => clip.placed[i]!.at, from),
  )
  const last = lastAtOrBelow(clip.placed.length, (i) => clip.placed[i]!.at, to - 1)
  return clip.placed.slice(first, last + 1)
}

/** Pieces that sound in a range, each once, in the order of their places. */
export function piecesIn(plan: Plan, from: number, to: number): Piece[] {
  const found = new Map<string, Placed>()
  for (const clip of plan.clips)
    for (const p of touching(clip, from, to)) if (!found.has(p.piece.key)) found.set(p.piece.key, p)
  return [...found.values()].sort((a, b) => a.at - b.at).map((p) => p.piece)
}

/** A raised cosine from 0 at 0 to 1 at 1. */
const ramp = (x: number): number => (x >= 1 ? 1 : 0.5 - 0.5 * Math.cos(Math.PI * Math.max(0, x)))

/** Gain of a clip's edge fades at a session sample. */
function fadeAt(clip: PlannedClip, n: number): number {
  const a = clip.fadeIn > 0 ? ramp((n - clip.start) / clip.fadeIn) : 1
  const b = clip.fadeOut > 0 ? ramp((clip.end - n) / clip.fadeOut) : 1
  return a * b
}

/** Adds samples times a gain, and times a clip's edge fades where one is given; sample n is x[n - at], out[n - from]. */
function add(
  out: Float32Array,
  x: Float32Array,
  gain: number,
  [a, b]: readonly [number, number],
  from: number,
  at: number,
  faded?: PlannedClip,
): void {
  if (faded) for (let n = a; n < b; n++) out[n - from]! += gain * fadeAt(faded, n) * x[n - at]!
  else for (let n = a; n < b; n++) out[n - from]! += gain * x[n - at]!
}

/**
 * Gain of each output channel from each recording channel: a balance, unity in the centre, so that a single
 * central track passes bit for bit.
 */
function gainTo(output: number, outputs: number, input: number, inputs: number, pan: number): number {
  if (inputs > 1 && input !== output) return 0
  if (outputs < 2) return 1
  if (output === 0) return Math.min(1, 1 - pan)
  if (output === 1) return Math.min(1, 1 + pan)
  return inputs === 1 ? 0 : 1
}

/**
 * Mixes a range of a plan. The result of any range is the same samples as that part of the whole.
 *
 * @param from, to session samples; may lie outside the plan
 * @returns planar samples, `to - from` long, or undefined when a piece is missing
 */
export function mixRange(
  plan: Plan,
  pieces: PieceSamples,
  from: number,
  to: number,
): Float32Array[] | undefined {
  // Nothing is added up before everything is there: a waiting player asks again and again.
  const sounding = plan.clips.map((clip) =>
    touching(clip, from, to).map((placed) => ({ placed, rendered: pieces(placed.piece) })),
  )
  if (sounding.some((s) => s.some(({ rendered }) => !rendered))) return undefined
  const out = Array.from({ length: plan.channels }, () => new Float32Array(to - from))
  plan.clips.forEach((clip, i) => {
    const rising = clip.start + clip.fadeIn
    const falling = clip.end - clip.fadeOut
    for (const { placed, rendered } of sounding[i]!) {
      const a = Math.max(from, placed.at)
      const b = Math.min(to, placed.at + placed.piece.span.length)
      const [c, d] = [Math.min(b, Math.max(a, rising)), Math.min(b, Math.max(a, rising, falling))]
      for (let input = 0; input < placed.channels; input++) {
        const x = rendered![placed.firstChannel + input]!
        for (const [output, o] of out.entries()) {
          const gain = clip.gain * gainTo(output, plan.channels, input, placed.channels, clip.pan)
          if (gain === 0) continue
          add(o, x, gain, [a, c], from, placed.at, clip)
          add(o, x, gain, [c, d], from, placed.at)
          add(o, x, gain, [d, b], from, placed.at, clip)
        }
      }
    }
  })
  return out
}
