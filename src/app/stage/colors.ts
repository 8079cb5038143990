// The theme's colours for canvases.
import { computed, type ComputedRef } from 'vue'
import { useInterface } from '../stores/interface'

export interface Colors {
  readonly paper: string
  readonly raised: string
  readonly sunk: string
  readonly ink: string
  readonly soft: string
  readonly faint: string
  readonly line: string
  readonly wave: string
  readonly waveFaint: string
  readonly squeezed: string
  readonly stretched: string
  readonly accent: string
  readonly accentSoft: string
  readonly danger: string
  readonly font: string
  readonly figures: string
}

/** Colours of the current theme; read anew when it changes. */
export function useColors(): ComputedRef<Colors> {
  const ui = useInterface()
  return computed(() => {
    void ui.dark
    const style = getComputedStyle(document.documentElement)
    const get = (name: string): string => style.getPropertyValue(`--${name}`).trim()
    return {
      paper: get('paper'),
      raised: get('paper-raised'),
      sunk: get('paper-sunk'),
      ink: get('ink'),
      soft: get('ink-soft'),
      faint: get('ink-faint'),
      line: get('line'),
      wave: get('wave'),
      waveFaint: get('wave-faint'),
      squeezed: get('squeezed'),
      stretched: get('stretched'),
      accent: get('accent'),
      accentSoft: get('accent-soft'),
      danger: get('danger'),
      font: get('font'),
      figures: get('figures'),
    }
  })
}
