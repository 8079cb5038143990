// Panels beside the stage: how wide each is, and whether it is folded; kept for this person.
import { useLocalStorage } from '@vueuse/core'
import { computed, type Ref } from 'vue'
import { number, object } from 'yup'

const kept = object({
  rail: number().min(120).max(900).required(),
  inspector: number().min(160).max(1200).required(),
})
const USUAL = { rail: 216, inspector: 282 }

/** Widths in pixels, as they were last chosen; what is kept and cannot be read is forgotten. */
const widths = useLocalStorage('unwarp.panels', USUAL, {
  serializer: {
    read: (text) => {
      try {
        return kept.validateSync(JSON.parse(text))
      } catch {
        return USUAL
      }
    },
    write: (v) => JSON.stringify(v),
  },
})

/** Narrowest and widest, pixels. */
const LIMITS = { rail: [170, 420], inspector: [240, 560] } as const

/**
 * A panel's size as a share of the frame it stands in.
 *
 * @param whole width of the frame, pixels
 */
export function usePanel(name: keyof typeof LIMITS, whole: Ref<number>) {
  const share = (pixels: number): number => Math.min(60, (100 * pixels) / Math.max(300, whole.value))
  return {
    size: computed(() => share(Math.max(LIMITS[name][0], Math.min(LIMITS[name][1], widths.value[name])))),
    min: computed(() => share(LIMITS[name][0])),
    max: computed(() => share(LIMITS[name][1])),
    /** Keeps what was dragged. @param size per cent */
    keep: (size: number): void => {
      const pixels = Math.round((size / 100) * whole.value)
      if (pixels > 0) widths.value = { ...widths.value, [name]: pixels }
    },
  }
}
