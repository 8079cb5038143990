// Options of the command line, checked by Yup.
import { parseArgs } from 'node:util'
import { number, object, string, ValidationError, type InferType } from 'yup'
import { InputError } from '../core/errors'
import { BPM_RANGE } from '../core/music/tempo-map'
import { METHOD_NAMES } from '../core/stretch/types'

const numeric = (name: string) => number().typeError(`--${name} must be a number`)
const within = (name: string, low: number, high: number) =>
  numeric(name).min(low, `--${name} must be at least ${low}`).max(high, `--${name} must be at most ${high}`)
const choice = <T extends string>(name: string, values: readonly T[]) =>
  string<T>().oneOf([...values], `--${name} must be one of ${values.join(', ')}`)

export const OPTIONS = object({
  json: string(),
  map: string(),
  ratio: within('ratio', 0.05, 20),
  semitones: within('semitones', -24, 24),
  cents: within('cents', -100, 100),
  formants: choice('formants', ['keep', 'move']),
  'formant-shift': within('formant-shift', -12, 12),
  engine: choice('engine', [...METHOD_NAMES, 'auto']),
  quality: choice('quality', ['draft', 'fine']),
  by: choice('by', ['bars', 'beats']),
  bits: choice('bits', ['16', '24', '32f']),
  bpm: within('bpm', BPM_RANGE.min, BPM_RANGE.max),
  downbeat: numeric('downbeat'),
  grid: choice('grid', ['1/1', '1/2', '1/4', '1/8', '1/16', '1/32', '1/64']),
  strength: within('strength', 0, 100),
  swing: within('swing', 0, 100),
  triplet: string().oneOf(['true']),
})
export type Options = InferType<typeof OPTIONS>
export type OptionName = keyof Options

/** Negative numbers after an option are values, not options: `--semitones -3` reads as `--semitones=-3`. */
function joinNegatives(args: readonly string[]): string[] {
  const out: string[] = []
  for (const a of args) {
    const before = out[out.length - 1]
    if (/^-[\d.]/.test(a) && before?.startsWith('--') && !before.includes('='))
      out[out.length - 1] = `${before}=${a}`
    else out.push(a)
  }
  return out
}

/**
 * Reads a command's arguments.
 *
 * @param allowed options the command takes; @param files what its files are called, in order
 * @throws InputError that says which argument is wrong
 */
export function readOptions(
  args: readonly string[],
  allowed: readonly OptionName[],
  files: readonly string[],
): { options: Options; files: string[] } {
  const spec = Object.fromEntries(
    allowed.map((n) => [n, { type: n === 'triplet' ? 'boolean' : 'string' } as const]),
  )
  let parsed: { values: Record<string, unknown>; positionals: string[] }
  try {
    parsed = parseArgs({ args: joinNegatives(args), options: spec, allowPositionals: true, strict: true })
  } catch (e) {
    throw new InputError(`${(e as Error).message.split('.')[0]}; see cli.md for this command's options.`)
  }
  if (parsed.positionals.length !== files.length)
    throw new InputError(
      `This command takes ${files.length} file${files.length > 1 ? 's' : ''}: ${files.join(', ')}.`,
    )
  const values = Object.fromEntries(
    Object.entries(parsed.values).map(([k, v]) => {
      if (v === '') throw new InputError(`--${k} needs a value.`)
      return [k, v === true ? 'true' : v]
    }),
  )
  try {
    return { options: OPTIONS.validateSync(values), files: parsed.positionals }
  } catch (e) {
    if (e instanceof ValidationError) throw new InputError(`${e.errors[0]}.`)
    throw e
  }
}
