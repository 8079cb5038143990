// All methods, and the renderer of one span.
import { chords } from './chords'
import { copyVoice } from './copy'
import { hits } from './hits'
import { line } from './line'
import { grains } from './grains'
import { mix } from './mix'
import { tape } from './tape'
import { cuts } from './cuts'
import { isVerbatim } from './spans'
import { transposed } from './transpose'
import {
  type Method,
  type MethodName,
  type Source,
  type Span,
  type StretchSettings,
  type Voice,
} from './types'

const METHODS: Readonly<Record<MethodName, Method>> = { hits, line, chords, mix, grains, tape, cuts }

/**
 * Opens a span: the recording bit for bit where nothing changes, else the method asked for.
 */
export function openSpan(source: Source, span: Span, settings: StretchSettings): Voice {
  if (isVerbatim(span, settings.pitch)) return copyVoice(source, span)
  const method = METHODS[settings.method]
  // Tape has no pitch of its own to keep: only the length of what is played faster or slower is stretched.
  if (settings.method === 'tape' && settings.pitch !== 1)
    return transposed(chords)(source, span, {
      ...settings,
      pitch: (settings.pitch * (span.to - span.from)) / span.length,
    })
  return transposed(method)(source, span, settings)
}
