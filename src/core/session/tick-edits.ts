// Edits of the detection: sensitivity, and ticks moved, added, muted or deleted. None of them stretches anything.
import { produce, type Draft } from 'immer'
import { InputError } from '../errors'
import { samples, type Samples } from '../units'
import type { TransientSettings } from '../analysis/select'
import type { Session } from './types'

function onTransients(
  session: Session,
  clipId: string,
  change: (t: Draft<TransientSettings>) => void,
): Session {
  return produce(session, (s) => {
    for (const track of s.tracks)
      for (const clip of track.clips) if (clip.id === clipId) change(clip.transients)
  })
}

/** How weak a transient may be, 0-100, and how near to another, ms. */
export function setDetection(
  session: Session,
  clipId: string,
  s: { sensitivity?: number; minGap?: number },
): Session {
  if (s.sensitivity !== undefined && !(s.sensitivity >= 0 && s.sensitivity <= 100))
    throw new InputError('The sensitivity must lie between 0 and 100.')
  if (s.minGap !== undefined && !(s.minGap >= 0 && s.minGap <= 2000))
    throw new InputError('The minimum gap must lie between 0 and 2000 ms.')
  return onTransients(session, clipId, (t) => {
    Object.assign(t, s)
  })
}

/** Corrects where a tick was heard. @param id the tick's id (where it was detected or added) */
export const moveTick = (session: Session, clipId: string, id: Samples, to: Samples): Session =>
  onTransients(session, clipId, (t) => {
    t.moved = t.moved.filter((m) => m.from !== id)
    if (to !== id) t.moved.push({ from: id, to: samples(to) })
  })

/** Adds a tick by hand; one that is there already is left alone. */
export const addTick = (session: Session, clipId: string, at: Samples): Session =>
  onTransients(session, clipId, (t) => {
    if (!t.added.includes(at)) t.added.push(at)
  })

/** Mutes or unmutes ticks. */
export const muteTicks = (
  session: Session,
  clipId: string,
  ids: readonly Samples[],
  mute: boolean,
): Session =>
  onTransients(session, clipId, (t) => {
    t.muted = t.muted.filter((m) => !ids.includes(m))
    if (mute) t.muted.push(...ids)
  })

/** Deletes ticks: those added by hand go, those that were detected are muted. */
export const deleteTicks = (session: Session, clipId: string, ids: readonly Samples[]): Session =>
  onTransients(session, clipId, (t) => {
    const added = new Set(t.added.filter((a) => ids.includes(a)))
    t.added = t.added.filter((a) => !added.has(a))
    t.moved = t.moved.filter((m) => !added.has(m.from))
    t.muted = [...t.muted.filter((m) => !ids.includes(m)), ...ids.filter((id) => !added.has(id))]
  })

/** Forgets every correction of the detection. */
export const resetTicks = (session: Session, clipId: string): Session =>
  onTransients(session, clipId, (t) => {
    t.moved = []
    t.added = []
    t.muted = []
  })
