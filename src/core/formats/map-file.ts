// The map file of the command line: pins in seconds, checked and turned into a time map.
import { array, number, object, ValidationError } from 'yup'
import { InputError } from '../errors'
import { timeMap, type Knot, type TimeMap } from '../timing/time-map'

const time = () =>
  number()
    .strict()
    .typeError('${path} must be a number of seconds')
    .required('${path} is missing')
    .test('finite', '${path} must be a finite number', (n) => Number.isFinite(n))

const schema = object({
  pins: array(object({ source: time(), target: time() }))
    .typeError('“pins” must be a list')
    .required('“pins” is missing')
    .min(1, '“pins” must hold at least one pin'),
})

/**
 * Reads a map file: `{"pins":[{"source":s,"target":s},…]}`, seconds, strictly rising in both.
 *
 * Before the first and after the last pin the recording runs at its own speed.
 *
 * @param text       the file; @param sampleRate Hz; @param length samples of the recording
 * @returns a map over the whole recording; its target may begin before or after 0
 * @throws InputError with one sentence that says what is wrong
 */
export function parseMapFile(text: string, sampleRate: number, length: number): TimeMap {
  let value: unknown
  try {
    value = JSON.parse(text)
  } catch {
    throw new InputError('The map file is not JSON; it must look like {"pins":[{"source":0,"target":0}]}.')
  }
  let pins: { source: number; target: number }[]
  try {
    pins = schema.validateSync(value).pins
  } catch (e) {
    if (e instanceof ValidationError) throw new InputError(`The map file cannot be used: ${e.errors[0]}.`)
    throw e
  }
  const end = length / sampleRate
  pins.forEach((p, i) => {
    const before = pins[i - 1]
    if (before && (p.source <= before.source || p.target <= before.target))
      throw new InputError(
        `The map file cannot be used: pin ${i + 1} does not come after pin ${i} in both columns.`,
      )
    if (p.source < 0 || p.source > end)
      throw new InputError(
        `The map file cannot be used: pin ${i + 1} lies at ${p.source} s, but the recording runs from 0 to ${end.toFixed(3)} s.`,
      )
  })
  const knots: Knot[] = pins.map((p) => ({
    source: Math.round(p.source * sampleRate),
    target: Math.round(p.target * sampleRate),
  }))
  const first = knots[0]!
  const last = knots[knots.length - 1]!
  if (first.source > 0) knots.unshift({ source: 0, target: first.target - first.source })
  if (last.source < length) knots.push({ source: length, target: last.target + length - last.source })
  return timeMap(knots)
}
