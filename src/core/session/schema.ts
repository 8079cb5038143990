// Yup schema of the session document, for everything that comes from outside: storage and files.
import { array, boolean, lazy, mixed, number, object, string, ValidationError } from 'yup'
import { InputError } from '../errors'
import { DIVISIONS, GRID_KINDS } from '../music/grid'
import { BPM_RANGE } from '../music/tempo-map'
import { DEFAULT_STRETCH, GRAIN_SIZE, METHOD_NAMES } from '../stretch/types'
import type { Session } from './types'

const finite = () =>
  number()
    .strict()
    .required()
    .test('finite', '${path} must be a finite number', (n) => Number.isFinite(n))
const whole = () => finite().integer()
const text = () => string().strict().defined()
const flag = () => boolean().strict().required()

/** Tempos as they may be typed, in beats of so many quarter notes. */
export const bpmSchemaFor = (quarters: number) => {
  const [min, max] = [Math.ceil(BPM_RANGE.min / quarters), Math.floor(BPM_RANGE.max / quarters)]
  return number()
    .typeError('The tempo must be a number, for example 92 or 92.5.')
    .required('Type a tempo in beats a minute.')
    .min(min, `The tempo must be at least ${min} BPM.`)
    .max(max, `The tempo must be at most ${max} BPM.`)
}
/** Quarter notes a minute as they may be typed. */
export const bpmSchema = bpmSchemaFor(1)

/** Beats in a bar as they may be typed. */
export const beatsInBarSchema = number()
  .typeError('The number of beats in a bar must be a number.')
  .required('Type how many beats a bar has.')
  .integer('A bar has a whole number of beats.')
  .min(1, 'A bar has at least one beat.')
  .max(32, 'A bar has at most 32 beats.')

/** How far a clip may be transposed, as it may be typed. */
export const transpositionFields = {
  semitones: number()
    .typeError('The transposition must be a number of semitones.')
    .required('Type a number of semitones; 0 leaves the pitch.')
    .min(-24, 'A clip can be transposed by at most 24 semitones down.')
    .max(24, 'A clip can be transposed by at most 24 semitones up.'),
  cents: number()
    .typeError('The fine tuning must be a number of cents.')
    .required('Type a number of cents; 0 leaves the pitch.')
    .min(-100, 'Fine tuning goes down to -100 cents; use semitones for more.')
    .max(100, 'Fine tuning goes up to 100 cents; use semitones for more.'),
  formants: string().oneOf(['keep', 'move'], 'Formants are kept or move with the pitch.').required(),
  formantShift: number()
    .typeError('The shift of the formants must be a number of semitones.')
    .required('Type a number of semitones; 0 leaves the formants.')
    .min(-12, 'Formants can be shifted by at most 12 semitones down.')
    .max(12, 'Formants can be shifted by at most 12 semitones up.'),
}
export const transpositionSchema = object(transpositionFields)

export const tempoSchema = array(
  object({ beat: finite(), bpm: bpmSchema.strict(), ramp: boolean().strict() }),
)
  .min(1)
  .required()

const meterSchema = array(
  object({
    bar: whole(),
    numerator: whole().min(1).max(32),
    denominator: whole().oneOf([1, 2, 4, 8, 16, 32]),
    written: boolean().strict().optional(),
  }),
)
  .min(1)
  .required()

const pinSchema = object({
  source: whole(),
  place: finite(),
  origin: mixed<string>().oneOf(['hand', 'quantize', 'conform', 'align']).required(),
})

const transientsSchema = object({
  sensitivity: finite().min(0).max(100),
  minGap: finite().min(0).max(2000),
  moved: array(object({ from: whole(), to: whole() })).required(),
  added: array(whole()).required(),
  muted: array(whole()).required(),
})

const rising = (values: readonly number[]): boolean => values.every((v, i) => i === 0 || v > values[i - 1]!)

const baseSchema = lazy((value: { kind?: unknown } | undefined) =>
  value?.kind === 'beats'
    ? object({
        kind: string().oneOf(['beats']).required(),
        beats: array(object({ source: whole(), beat: finite() })).required(),
      })
    : object({ kind: string().oneOf(['speed']).required() }),
)

const countSchema = object({
  range: object({ low: finite().min(1), high: finite().max(2000) })
    .nullable()
    .default(undefined),
  held: bpmSchema.strict().notRequired().nullable().defined(),
  times: finite().min(0.1).max(10),
  one: number().integer().nullable().defined(),
  beatsPerBar: number().integer().min(1).max(32).nullable().defined(),
  beatUnit: number().oneOf([1, 2, 4, 8, 16, 32]).nullable().defined(),
  points: array(object({ source: whole(), bar: whole(), beat: whole().min(1) })).required(),
})
  .nullable()
  .default(undefined)

const clipSchema = object({
  id: text(),
  recording: text(),
  start: whole(),
  end: whole().test(
    'after',
    'a clip must end after it starts',
    (end, c) => end > (c.parent as { start: number }).start,
  ),
  place: finite(),
  base: baseSchema,
  pins: array(pinSchema)
    .required()
    .test(
      'rising',
      'pins must rise in source and place',
      (pins) => rising(pins.map((p) => p.source)) && rising(pins.map((p) => p.place)),
    ),
  heldEdges: object({ start: flag(), end: flag() }),
  gain: finite(),
  fadeIn: finite().min(0),
  fadeOut: finite().min(0),
  transients: transientsSchema,
  semitones: transpositionFields.semitones.strict(),
  cents: transpositionFields.cents.strict(),
  formants: transpositionFields.formants,
  // Filled in by `parseSession` in documents from before it could be chosen.
  formantShift: transpositionFields.formantShift.strict().optional(),
  count: countSchema,
})

const trackSchema = object({
  id: text(),
  name: text(),
  gain: finite(),
  pan: finite().min(-1).max(1),
  mute: flag(),
  solo: flag(),
  method: object({
    method: string().oneOf(METHOD_NAMES).required(),
    fill: string().oneOf(['mirror', 'repeat', 'rest']).required(),
    tail: finite().min(0).max(100),
    // Documents from before there were grains do not name these; `parseSession` fills them in.
    size: number().min(GRAIN_SIZE.min).max(GRAIN_SIZE.max),
    scatter: number().min(0).max(100),
  }),
  linkGroup: string().strict().defined().nullable(),
  clips: array(clipSchema).required(),
})

/** The whole document. */
export const sessionSchema = object({
  version: whole().oneOf([1], 'it was made by a newer version of Unwarp'),
  id: text(),
  name: text(),
  sampleRate: whole().min(1000).max(768000),
  tempo: tempoSchema,
  meter: meterSchema,
  key: object({ tonic: whole().min(0).max(11), mode: string().oneOf(['major', 'minor']).required() })
    .nullable()
    .defined()
    .default(null),
  locators: array(object({ name: text(), at: finite() })).required(),
  grooves: array(
    object({
      name: text(),
      grid: object({
        division: whole().oneOf([...DIVISIONS]),
        kind: string()
          .oneOf([...GRID_KINDS])
          .required(),
        swing: finite().min(0).max(100),
      }),
    }),
  ).required(),
  recordings: array(
    object({
      id: text(),
      name: text(),
      sampleRate: finite().min(1000).max(768000),
      channels: whole().min(1),
      length: whole().min(1),
      coding: text(),
      stated: array(
        object({
          bpm: finite().min(1).max(1000),
          from: string().oneOf(['name', 'tags']).required(),
        }),
      ).optional(),
    }),
  ).required(),
  tracks: array(trackSchema).required(),
})

/** The document with every setting named that older ones did not have; the same object where none is missing. */
function withNewer(session: Session): Session {
  const { size, scatter, formantShift } = DEFAULT_STRETCH
  const named = session.tracks.every(
    (t) =>
      t.method.size !== undefined &&
      t.method.scatter !== undefined &&
      t.clips.every((c) => c.formantShift !== undefined && c.count !== undefined),
  )
  if (named) return session
  return {
    ...session,
    tracks: session.tracks.map((t) => ({
      ...t,
      method: Object.assign({ size, scatter }, t.method),
      clips: t.clips.map((c) => Object.assign({ formantShift, count: null }, c)),
    })),
  }
}

/**
 * Checks that a value is a session this version can open, and that its clips' recordings are known.
 *
 * @throws InputError with one sentence that says where it is damaged
 */
export function parseSession(value: unknown): Session {
  try {
    sessionSchema.validateSync(value, { strict: true })
  } catch (e) {
    if (e instanceof ValidationError) throw new InputError(`This session cannot be opened: ${e.errors[0]}.`)
    throw e
  }
  const session = withNewer(value as Session)
  const known = new Set(session.recordings.map((r) => r.id))
  for (const track of session.tracks)
    for (const clip of track.clips)
      if (!known.has(clip.recording))
        throw new InputError(
          `This session cannot be opened: track “${track.name}” uses a recording that is not in it.`,
        )
  return session
}
