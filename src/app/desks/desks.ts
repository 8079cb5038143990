// The desks that are built, in the order of work.
import type { Component } from 'vue'

export interface Desk {
  readonly id: string
  readonly name: string
  /** One line: what is done there. */
  readonly help: string
  readonly component: () => Promise<Component>
}

export const BUILT_DESKS: readonly Desk[] = [
  {
    id: 'tempo',
    name: 'Tempo',
    help: 'Find the tempo and beat 1, and make grid and music agree.',
    component: () => import('./tempo/TempoDesk.vue'),
  },
  {
    id: 'timing',
    name: 'Timing',
    help: 'Check the transients, then move notes to where they belong.',
    component: () => import('./timing/TimingDesk.vue'),
  },
  {
    id: 'render',
    name: 'Render',
    help: 'Write the corrected audio to a file.',
    component: () => import('./render/RenderDesk.vue'),
  },
]
