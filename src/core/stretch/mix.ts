// Mix: whole songs. The low band keeps its tones apart with a long window, the high band its attacks with a short one.
import { besideWith, vocoded } from './chords'
import { partedHigh, framesWhereWavering, type FramesOf } from './parting'
import type { Method, Quality } from './types'

/** Windows of both bands, seconds. */
const WINDOWS: Record<Quality, readonly number[]> = { fine: [0.093, 0.046], draft: [0.046, 0.023] }

/** What lies beside a span. */
export const besideMix = besideWith({ fine: WINDOWS.fine[0]!, draft: WINDOWS.draft[0]! })

const framesOf: FramesOf = (source, span, quality) => {
  const seconds = WINDOWS[quality]
  const found = quality === 'fine' ? framesWhereWavering(source, span, seconds[0]!) : undefined
  return found ?? { seconds, parted: partedHigh }
}

/**
 * Renders a span as the sum of its bands, which part at 1.5 kHz and go on together there.
 *
 * Source: J. Bonada, "Automatic technique in frequency domain for near-lossless time-scale modification of audio",
 * ICMC 2000 (windows that grow shorter with frequency).
 */
export const mix: Method = (source, span, settings) => vocoded(source, span, settings, framesOf)
