// All methods, and the renderer of one span.
import { besideChords, chords } from './chords'
import { ratioAt } from './curve'
import { formantRatio, isShaped, shaped } from './formants'
import { copyVoice } from './copy'
import { hits } from './hits'
import { line } from './line'
import { grains } from './grains'
import { besideMix, mix } from './mix'
import { inParts } from './parts'
import { tape } from './tape'
import { cuts } from './cuts'
import { isVerbatim } from './spans'
import { pulses } from './pulses'
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

/** What lies beside a span where that is not the recording as it is. */
const BESIDE: Readonly<Partial<Record<MethodName, typeof besideChords>>> = {
  chords: besideChords,
  mix: besideMix,
}

/** Pitch of a span at its output samples. */
function curvePitch(span: Span, settings: StretchSettings): (n: number) => number {
  const { curve, from } = span
  if (!curve) return () => settings.pitch
  const step = (span.to - from) / span.length
  return (n) => settings.pitch * ratioAt(curve, from + n * step)
}

/**
 * Opens a span: the recording bit for bit where nothing changes, else the method asked for.
 *
 * Line sets its periods' pitch and formants itself; everything else is stretched and resampled, with the spectral
 * envelope warped beforehand when the formants go their own way.
 */
export function openSpan(source: Source, span: Span, settings: StretchSettings): Voice {
  if (isVerbatim(span, settings)) return copyVoice(source, span)
  const method = METHODS[settings.method]
  const formant = formantRatio(settings)
  // With formants kept, a pitch that changes needs periods; with formants moving, so does nothing.
  const together =
    Math.abs(settings.pitch / formant - 1) < 1e-9 && (settings.formants === 'move' || !span.curve)
  if (settings.method === 'line' && !together)
    return pulses(source, span, method(source, span, settings), curvePitch(span, settings), formant)
  // These make a whole span at once.
  if (WHOLE.has(settings.method) || isShaped(span, settings))
    return inParts(source, span, (part) => openReshaped(source, part, settings))
  return openReshaped(source, span, settings)
}

const WHOLE: ReadonlySet<MethodName> = new Set(['hits', 'cuts'])

/** A span whose pitch is resampled, with its envelope warped before. */
function openReshaped(source: Source, span: Span, settings: StretchSettings): Voice {
  const method = METHODS[settings.method]
  const s = shaped(source, span, settings)
  // Tape has no pitch of its own to keep: only the length of what is played faster or slower is stretched.
  if (settings.method === 'tape' && (settings.pitch !== 1 || span.curve))
    return transposed(chords, besideChords)(s.source, s.span, {
      ...settings,
      pitch: (settings.pitch * (span.to - span.from)) / span.length,
    })
  return transposed(method, BESIDE[settings.method])(s.source, s.span, settings)
}
