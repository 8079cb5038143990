<script setup lang="ts">
// The selected note: where it sounds, by how much it was moved, and what can be done with it.
import { computed } from 'vue'
import ActionButton from '../../actions/ActionButton.vue'
import {
  formatPosition,
  formatSeconds,
  fromPosition,
  parsePosition,
  TICKS_PER_QUARTER,
  toPosition,
} from '../../../core/music/position'
import { secondsToBeat } from '../../../core/music/tempo-map'
import { InputError } from '../../../core/errors'
import Hint from '../../controls/Hint.vue'
import Panel from '../../controls/Panel.vue'
import TextField from '../../controls/TextField.vue'
import { useSession } from '../../stores/session'
import { useTiming } from '../../stores/timing'
import { useView } from '../../stores/view'
import { segmentsOf } from '../../stage/stretch-color'
import { gridDeviation } from './notes'

const store = useSession()
const view = useView()
const timing = useTiming()
const note = computed(() => timing.selectedNote)
const grid = computed(() => view.grid)

const PIN_WORDS = {
  hand: 'pinned by hand',
  quantize: 'pinned by quantize',
  conform: 'pinned to the beats',
  align: 'pinned by alignment',
}

const place = computed(() => {
  const s = store.session
  return s && note.value ? formatPosition(toPosition(s.meter, secondsToBeat(s.tempo, note.value.placed))) : ''
})
const ms = (v: number): string => `${v >= 0 ? '+' : '−'}${Math.abs(v).toFixed(1)} ms`
const off = computed(() =>
  store.session && note.value ? ms(gridDeviation(store.session, grid.value, note.value.placed).ms) : '',
)
/** Where the note is struck again. */
const later = computed(() =>
  note.value?.later.map((at) => `+${(1000 * (at - note.value!.played)).toFixed(0)} ms`).join(', '),
)
const moved = computed(() => (note.value ? ms(1000 * (note.value.placed - note.value.played)) : ''))

/** How much the audio before and after the note is stretched. */
const around = computed(() => {
  const v = timing.clip
  const n = note.value
  if (!v || !n) return ''
  const segments = segmentsOf(v.placed, v.sampleRate)
  const percent = (r: number | undefined): string => (r === undefined ? '–' : (100 * r).toFixed(1))
  const before = segments.find((s) => s.from < n.placed - 1e-6 && s.to >= n.placed - 1e-6)
  const after = segments.find((s) => s.from <= n.placed + 1e-6 && s.to > n.placed + 1e-6)
  return `${percent(before?.ratio)} / ${percent(after?.ratio)} %`
})

/** @throws InputError when it is no place, or the neighbours hold the note */
function take(typed: string): void {
  const s = store.session
  if (!s) return
  const wanted = fromPosition(s.meter, parsePosition(s.meter, typed))
  timing.place(wanted)
  const reached = note.value ? secondsToBeat(s.tempo, note.value.placed) : wanted
  if (Math.abs(reached - wanted) >= 1 / TICKS_PER_QUARTER)
    throw new InputError(
      'The neighbours hold, so the note went as far as it could; choose a wider reach to go on.',
    )
}
</script>

<template>
  <panel name="note" title="Note" :note="note ? place : ''">
    <div data-test="note-panel">
      <template v-if="note">
        <div class="row">
          <span>Sounds at</span>
          <text-field
            :key="note.tick.id"
            class="place"
            :value="place"
            label="Sounds at"
            help="Where the note sounds, as bar.beat.tick; type another place."
            width="130px"
            :disabled="note.tick.muted"
            :take="take"
          />
        </div>
        <div class="row">
          <span class="soft">Played at</span><span class="figures">{{ formatSeconds(note.played) }}</span>
        </div>
        <div v-if="later" class="row">
          <hint text="Later attacks of the same note: a flam, or the strings of a strum."
            ><span class="soft">Struck again</span></hint
          ><span class="figures" data-test="note-later">{{ later }}</span>
        </div>
        <div class="row">
          <span class="soft">Off the grid</span><span class="figures" data-test="note-off">{{ off }}</span>
        </div>
        <div class="row">
          <span class="soft">Moved</span><span class="figures" data-test="note-moved">{{ moved }}</span>
        </div>
        <div class="row">
          <hint text="Length of the audio before and after the note, against how it was played."
            ><span class="soft">Before / after</span></hint
          ><span class="figures">{{ around }}</span>
        </div>
        <p class="soft">
          {{
            note.tick.muted
              ? 'muted: not treated as a note'
              : note.pin
                ? PIN_WORDS[note.pin]
                : 'not pinned: runs with its neighbours'
          }}
        </p>
        <div class="buttons">
          <action-button id="to-grid" label="On the grid" />
          <action-button id="nudge-earlier" label="−1 ms" />
          <action-button id="nudge-later" label="+1 ms" />
          <action-button id="release-note" />
        </div>
      </template>
      <p v-else class="soft">Click a note on the stage, or step through them with the arrow keys.</p>
    </div>
  </panel>
</template>

<style scoped>
.row {
  min-height: 22px;
}
.place :deep(input) {
  font-family: var(--figures);
  text-align: right;
}
</style>
