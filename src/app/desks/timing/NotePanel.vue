<script setup lang="ts">
// The selected note: where it sounds, by how much it was moved, and what can be done with it.
import { computed, nextTick, ref, watch } from 'vue'
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
const error = ref('')
const text = ref('')

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
watch(
  place,
  (p) => {
    text.value = p
    error.value = ''
  },
  { immediate: true },
)
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

/** Enter takes the place and gives the keys back to the desk. */
function enter(e: KeyboardEvent): void {
  commit()
  if (!error.value) (e.target as HTMLInputElement).blur()
}
function commit(): void {
  const s = store.session
  if (!s || text.value === place.value) return
  try {
    const wanted = fromPosition(s.meter, parsePosition(s.meter, text.value))
    timing.place(wanted)
    const reached = note.value ? secondsToBeat(s.tempo, note.value.placed) : wanted
    text.value = place.value
    void nextTick(() => {
      error.value =
        Math.abs(reached - wanted) < 1 / TICKS_PER_QUARTER
          ? ''
          : 'The neighbours hold, so the note went as far as it could; choose a wider reach to go on.'
    })
  } catch (e) {
    error.value = (e as Error).message
  }
}
</script>

<template>
  <section aria-label="Note" data-test="note-panel">
    <h2>Note</h2>
    <template v-if="note">
      <div class="row">
        <label for="note-place" title="Where the note sounds, in bars, beats and ticks; type another place."
          >Sounds at</label
        >
        <input
          id="note-place"
          v-model="text"
          class="plain figures place"
          :aria-invalid="error !== ''"
          :disabled="note.tick.muted"
          @change="commit"
          @keydown.enter="enter"
        />
      </div>
      <p v-if="error" class="error-text" role="alert">{{ error }}</p>
      <div class="row">
        <span class="soft">Played at</span><span class="figures">{{ formatSeconds(note.played) }}</span>
      </div>
      <div v-if="later" class="row">
        <span class="soft" title="Later attacks of the same note: a flam, or the strings of a strum."
          >Struck again</span
        ><span class="figures" data-test="note-later">{{ later }}</span>
      </div>
      <div class="row">
        <span class="soft">Off the grid</span><span class="figures" data-test="note-off">{{ off }}</span>
      </div>
      <div class="row">
        <span class="soft">Moved</span><span class="figures" data-test="note-moved">{{ moved }}</span>
      </div>
      <div class="row">
        <span class="soft" title="Length of the audio before and after the note, against how it was played."
          >Before / after</span
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
        <action-button id="to-grid" small label="On the grid" />
        <action-button id="nudge-earlier" small>−1 ms</action-button>
        <action-button id="nudge-later" small>+1 ms</action-button>
        <action-button id="release-note" small />
      </div>
    </template>
    <p v-else class="soft">Click a note on the stage, or step through them with the arrow keys.</p>
  </section>
</template>

<style scoped>
.place {
  width: 104px;
  text-align: right;
}
.row {
  min-height: 21px;
}
</style>
