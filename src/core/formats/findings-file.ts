// Findings as a document and a block of 32-bit floats, for session files; read back only when whole.
import { array, boolean, mixed, number, object, string } from 'yup'
import { ANALYSIS_VERSION } from '../analysis/transients'
import type { Findings } from '../analysis/analyse'

/** A written analysis: `json` holds everything but the float arrays, which lie in `floats` one after another. */
export interface WrittenFindings {
  readonly json: string
  readonly floats: Float32Array
}

/** Where an array lies in the block: first float and count. */
const PLACE = 'floats'

/** @param found findings whose only typed arrays are Float32Array */
export function writeFindings(found: Findings): WrittenFindings {
  const parts: Float32Array[] = []
  let at = 0
  const json = JSON.stringify({ version: ANALYSIS_VERSION, found }, (_, value: unknown) => {
    if (!ArrayBuffer.isView(value)) return value
    if (!(value instanceof Float32Array))
      throw new Error('Findings hold an array that is not of 32-bit floats')
    parts.push(value)
    at += value.length
    return { [PLACE]: [at - value.length, value.length] }
  })
  const floats = new Float32Array(at)
  let to = 0
  for (const p of parts) {
    floats.set(p, to)
    to += p.length
  }
  return { json, floats }
}

const figure = () => number().strict().required()
const unit = () => figure().min(0).max(1)
const floats = () =>
  mixed<Float32Array>()
    .required()
    .test('floats', '${path} must be an array of floats', (v) => v instanceof Float32Array)
const events = () => array(object({ time: figure(), strength: figure() })).required()
const suggestion = {
  suggested: string().required(),
  reasons: array(string().required()).required(),
  attackShare: figure(),
  singleLine: figure(),
  density: figure(),
}

/** What the application reads of findings; more may be there. */
const findingsSchema = object({
  transients: array(
    object({
      at: figure().integer().min(0),
      strength: unit(),
      parts: array(figure().integer()).optional(),
      slurred: string().oneOf(['alone', 'struck']).optional(),
    }),
  ).required(),
  pitch: object({ hop: figure().positive(), f0: floats(), voicing: floats() }),
  notes: array(
    object({
      start: figure(),
      end: figure(),
      midi: figure(),
      confidence: unit(),
      glideIn: figure(),
      glideOut: figure(),
      drift: figure(),
      vibrato: object({ rate: figure(), depth: figure() }),
    }),
  ).required(),
  tuning: object({ cents: figure(), confidence: figure() }),
  keys: array(
    object({ tonic: figure(), mode: string().oneOf(['major', 'minor']).required(), confidence: figure() }),
  ).required(),
  material: object({
    ...suggestion,
    regions: array(object({ ...suggestion, start: figure(), end: figure() })).required(),
  }),
  rhythm: object({
    frames: figure().integer().min(0),
    onset: floats(),
    regions: array(floats()).required(),
    level: floats(),
    brilliance: figure(),
    events: events(),
    first: figure(),
    last: figure(),
    length: figure(),
  }),
  chroma: object({ hop: figure(), frames: figure(), values: floats(), bass: floats() }),
  stated: array(object({ bpm: figure(), from: string().oneOf(['name', 'tags']).required() })).required(),
  tempo: object({
    bpm: figure(),
    confidence: figure(),
    steady: boolean().required(),
    candidates: array(
      object({
        bpm: figure(),
        score: figure(),
        relation: string().required(),
        evidence: array(string().required()).required(),
      }),
    ).required(),
  }),
  meter: object({ beatsPerBar: figure(), beatUnit: figure(), confidence: figure() }),
  beats: array(
    object({ time: figure(), beat: figure(), confidence: figure(), extrapolated: boolean().required() }),
  ).required(),
  beatOne: number().strict().nullable().defined(),
})

const isPlace = (v: unknown): v is { floats: [number, number] } =>
  typeof v === 'object' && v !== null && Array.isArray((v as { floats?: unknown }).floats)

/**
 * Reads what `writeFindings` wrote.
 *
 * @returns the findings, or null where another version of the analysis made them or anything of them is damaged:
 *          the recording is then analysed again
 */
export function readFindings({ json, floats }: WrittenFindings): Findings | null {
  try {
    const { version, found } = JSON.parse(json, (_, value: unknown) => {
      if (!isPlace(value)) return value
      const [at, length] = value.floats
      if (!(at >= 0 && length >= 0 && at + length <= floats.length)) throw new RangeError('outside the block')
      return floats.slice(at, at + length)
    }) as { version: unknown; found: unknown }
    if (version !== ANALYSIS_VERSION) return null
    return findingsSchema.validateSync(found, { strict: true }) as unknown as Findings
  } catch {
    return null
  }
}
