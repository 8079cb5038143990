// The methods that can be used, and the renderer of one span.
import { InputError } from '../errors'
import { chords } from './chords'
import { copyVoice } from './copy'
import { hits } from './hits'
import { line } from './line'
import { tape } from './tape'
import { cuts } from './cuts'
import { isVerbatim } from './spans'
import { transposed } from './transpose'
import {
  METHOD_NAMES,
  type Method,
  type MethodName,
  type Source,
  type Span,
  type StretchSettings,
  type Voice,
} from './types'

const METHODS: Partial<Record<MethodName, Method>> = { hits, line, chords, tape, cuts }

/** Methods that are built, in the product's order. */
export const BUILT_METHODS = METHOD_NAMES.filter((name) => name in METHODS)

/**
 * Opens a span: the recording bit for bit where nothing changes, else the method asked for.
 *
 * @throws InputError when the method is not built yet
 */
export function openSpan(source: Source, span: Span, settings: StretchSettings): Voice {
  if (isVerbatim(span, settings.pitch)) return copyVoice(source, span)
  const method = METHODS[settings.method]
  if (!method)
    throw new InputError(
      `The method “${settings.method}” is not built yet; choose ${BUILT_METHODS.join(' or ')}.`,
    )
  // Tape has no pitch of its own to keep: only the length of what is played faster or slower is stretched.
  if (settings.method === 'tape' && settings.pitch !== 1)
    return transposed(chords)(source, span, {
      ...settings,
      pitch: (settings.pitch * (span.to - span.from)) / span.length,
    })
  return transposed(method)(source, span, settings)
}

/** The built method nearest to one that suits: itself, or the one for tones that ring on. */
export const builtFor = (name: MethodName): MethodName => (name in METHODS ? name : 'chords')
