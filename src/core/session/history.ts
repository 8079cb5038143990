// History: the list of edits' patches. Undo and redo apply them; nothing else remembers earlier documents.
import { applyPatches, enablePatches, produceWithPatches, type Patch } from 'immer'
import type { Session } from './types'

enablePatches()

/** One finished edit. */
export interface Step {
  /** What was done, in words: "Move note", "Quantize 34 notes". */
  readonly label: string
  /** Edits with the same key in a row (a slider being dragged) become one step. */
  readonly key: string | null
  readonly patches: readonly Patch[]
  readonly inverse: readonly Patch[]
}

/** The document with its past and future: steps before `cursor` are done, those from it on are undone. */
export interface History {
  readonly session: Session
  readonly steps: readonly Step[]
  readonly cursor: number
}

export const newHistory = (session: Session): History => ({ session, steps: [], cursor: 0 })

type Fields = Record<string, unknown>

const isObject = (x: unknown): x is Fields => typeof x === 'object' && x !== null
const sameShape = (a: unknown, b: unknown): boolean =>
  isObject(a) &&
  isObject(b) &&
  Array.isArray(a) === Array.isArray(b) &&
  Object.keys(a).join() === Object.keys(b).join()

/** Carries what differs between two documents into a draft of the first, so that patches name only what changed. */
function carry(draft: Fields, before: Fields, after: Fields): void {
  for (const key of Object.keys(after)) {
    if (before[key] === after[key]) continue
    if (sameShape(before[key], after[key]))
      carry(draft[key] as Fields, before[key] as Fields, after[key] as Fields)
    else draft[key] = after[key]
  }
}

/**
 * Does an edit. What was undone before is forgotten; an edit that changes nothing adds no step.
 *
 * @param edit pure; whatever it throws leaves the history as it was
 */
export function perform(
  h: History,
  label: string,
  edit: (s: Session) => Session,
  key: string | null = null,
): History {
  const next = edit(h.session)
  if (next === h.session) return h
  const [session, patches, inverse] = produceWithPatches(h.session, (draft) =>
    carry(draft as Fields, h.session as unknown as Fields, next as unknown as Fields),
  )
  if (patches.length === 0) return h
  const past = h.steps.slice(0, h.cursor)
  const last = past[past.length - 1]
  if (key !== null && last?.key === key) {
    const joined: Step = {
      label,
      key,
      patches: [...last.patches, ...patches],
      inverse: [...inverse, ...last.inverse],
    }
    return { session, steps: [...past.slice(0, -1), joined], cursor: h.cursor }
  }
  return { session, steps: [...past, { label, key, patches, inverse }], cursor: h.cursor + 1 }
}

/** Takes the last step back; nothing to undo changes nothing. */
export function undo(h: History): History {
  const step = h.steps[h.cursor - 1]
  if (!step) return h
  return { ...h, session: applyPatches(h.session, step.inverse as Patch[]), cursor: h.cursor - 1 }
}

/** Does the next undone step again. */
export function redo(h: History): History {
  const step = h.steps[h.cursor]
  if (!step) return h
  return { ...h, session: applyPatches(h.session, step.patches as Patch[]), cursor: h.cursor + 1 }
}
