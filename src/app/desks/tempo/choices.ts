// What is chosen on the Tempo desk and is no part of the document.
import { ref } from 'vue'
import type { BeatRange } from '../../../core/music/held-range'
import type { WhenTempoChanges } from '../../../core/session/tempo-edits'

/** Dragging on the tempo curve changes the bars under the pointer. */
export const drawing = ref(false)
/** What recordings that do not follow the tempo do when it is edited. */
export const staying = ref<WhenTempoChanges>('stay in seconds')
/** Tempo edits stay inside these bars, which take as long as before, so that nothing outside moves; null for anywhere. */
export const held = ref<BeatRange | null>(null)
