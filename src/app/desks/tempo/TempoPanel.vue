<script setup lang="ts">
// The tempo of the focused recording: what was found, what else it could be, what the file states, and corrections.
import { computed } from 'vue'
import { number } from 'yup'
import ActionButton from '../../actions/ActionButton.vue'
import { taps } from '../../actions/tempo-actions'
import NumberField from '../../fields/NumberField.vue'
import type { TempoCandidate } from '../../../core/analysis/beats/track'
import { bpmSchema } from '../../../core/session/schema'
import { useTempo } from '../../stores/tempo'
import { relationWords, statedWords } from './tempo-words'

const tempo = useTempo()
/** The likeliest, and half and double always. */
const candidates = computed(() =>
  (tempo.findings?.tempo.candidates ?? []).filter(
    (c, i) => i < 4 || c.relation === 'half' || c.relation === 'double',
  ),
)
const UNITS: Record<number, string> = { 2: 'half notes', 4: 'quarters', 8: 'eighths', 16: 'sixteenths' }
const unit = computed(() => UNITS[tempo.counted.beatUnit] ?? 'beats')
const kind = computed(() => {
  if (tempo.count.held !== null)
    return tempo.count.points.length ? 'held between known places' : 'one tempo, held'
  return tempo.source?.tempo.steady ? 'one tempo throughout' : 'changing, beat by beat'
})
const stated = computed(() => statedWords(tempo.focused?.recording.stated, tempo.bpm))
const perBar = number()
  .typeError('The number of beats in a bar must be a number.')
  .required('Type how many beats a bar has.')
  .integer('A bar has a whole number of beats.')
  .min(1, 'A bar has at least one beat.')
  .max(32, 'A bar has at most 32 beats.')

/** Looks for the beats again around a candidate's tempo. */
function use(c: TempoCandidate): void {
  const around = { low: c.bpm / 1.04, high: c.bpm * 1.04 }
  tempo.say('Take another tempo', (k) => ({
    ...k,
    range: c.relation === 'chosen' ? null : around,
    held: null,
    times: 1,
    one: null,
    points: [],
    beatsPerBar: null,
    beatUnit: null,
  }))
}
const inUse = (c: TempoCandidate): boolean => Math.abs(c.bpm / tempo.bpm - 1) < 0.03
function between(part: 'low' | 'high', value: number): void {
  const now = tempo.count.range ?? { low: Math.round(tempo.bpm * 0.9), high: Math.round(tempo.bpm * 1.1) }
  const range = { ...now, [part]: value }
  if (range.low < range.high)
    tempo.say(
      'Tempo between',
      (c) => ({ ...c, range, held: null, times: 1, one: null, points: [] }),
      'between',
    )
}
</script>

<template>
  <section aria-label="Tempo of this recording">
    <h2>Tempo of this recording</h2>
    <p class="big">
      <span class="figures" data-test="counted-bpm">{{ tempo.bpm ? tempo.bpm.toFixed(2) : '–' }}</span>
      <span class="soft">{{ unit }} a minute, {{ kind }}</span>
    </p>
    <p v-if="stated" class="soft" data-test="stated">{{ stated }}</p>
    <div class="buttons">
      <action-button id="half-tempo" small />
      <action-button id="double-tempo" small />
      <action-button id="whole-bpm" small />
      <action-button id="tap" small>Tap{{ taps.length > 1 ? ` ${taps.length}` : '' }}</action-button>
      <action-button id="count-as-found" small label="Forget" />
    </div>
    <div class="row">
      <span class="pair">
        <span>Hold</span>
        <number-field
          :model-value="tempo.bpm || 120"
          :schema="bpmSchema"
          label="Hold at"
          hide-label
          :digits="3"
          help="One tempo for the whole recording, from its beat 1; type it."
          @update:model-value="(v) => tempo.say('Hold a tempo', (c) => ({ ...c, held: v }))"
        />
      </span>
      <span class="pair">
        <span title="How the beats are counted into bars, and the note value of a beat.">bars of</span>
        <number-field
          :model-value="tempo.counted.beatsPerBar"
          :schema="perBar"
          label="Beats in a bar of this recording"
          hide-label
          width="40px"
          help="How many beats a bar of this recording has."
          @update:model-value="(v) => tempo.say('Beats in a bar', (c) => ({ ...c, beatsPerBar: v }))"
        />
        <span>/</span>
        <select
          class="plain figures"
          aria-label="Note value of a beat of this recording"
          :value="tempo.counted.beatUnit"
          @change="
            (e) =>
              tempo.say('Note value of a beat', (c) => ({
                ...c,
                beatUnit: Number((e.target as HTMLSelectElement).value),
              }))
          "
        >
          <option v-for="d in [2, 4, 8, 16]" :key="d" :value="d">{{ d }}</option>
        </select>
      </span>
    </div>
    <ul v-if="candidates.length" aria-label="What the tempo could be">
      <li v-for="c in candidates" :key="c.bpm" :data-used="inUse(c)">
        <span class="figures bpm">{{ c.bpm.toFixed(1) }}</span>
        <span class="likely" :title="`${Math.round(100 * c.score)} % likely`">
          <i :style="{ width: `${Math.max(3, 100 * c.score)}%` }" />
        </span>
        <span class="soft words" :title="c.evidence.join(' ')">
          {{ [relationWords(c), c.evidence.join(' ')].filter(Boolean).join('. ') }}
        </span>
        <button
          v-if="!inUse(c)"
          type="button"
          class="plain small"
          :aria-label="`Use ${c.bpm.toFixed(1)}`"
          title="Looks for the beats again around this tempo."
          @click="use(c)"
        >
          Use
        </button>
        <span v-else class="used">in use</span>
      </li>
    </ul>
    <div class="row between" title="The beats are found again, only among tempos between these.">
      <span>Between</span>
      <span class="pair">
        <number-field
          :model-value="tempo.count.range?.low ?? Math.round(tempo.bpm * 0.9)"
          :schema="bpmSchema"
          label="Lowest tempo"
          hide-label
          width="52px"
          help="The tempo is at least this."
          @update:model-value="(v) => between('low', v)"
        />
        <span>and</span>
        <number-field
          :model-value="tempo.count.range?.high ?? Math.round(tempo.bpm * 1.1)"
          :schema="bpmSchema"
          label="Highest tempo"
          hide-label
          width="52px"
          help="The tempo is at most this."
          @update:model-value="(v) => between('high', v)"
        />
      </span>
    </div>
  </section>
</template>

<style scoped>
.big {
  display: flex;
  align-items: baseline;
  gap: 6px;
  font-size: 12px;
}
.big .figures {
  font-size: 22px;
  font-weight: 600;
}
.pair {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}
ul {
  margin: 4px 0 6px;
  padding: 0;
  list-style: none;
}
li {
  display: grid;
  grid-template-columns: 44px 30px minmax(0, 1fr) auto;
  align-items: center;
  gap: 1px 7px;
  padding: 3px 0;
  border-top: 1px solid var(--line);
}
.words {
  overflow: hidden;
  font-size: 11.5px;
  text-overflow: ellipsis;
  white-space: nowrap;
}
li[data-used='true'] .words {
  grid-column: 1 / -1;
  grid-row: 2;
  white-space: normal;
}
.used {
  grid-column: 4;
}
.bpm {
  text-align: right;
}
li[data-used='true'] .bpm {
  font-weight: 700;
}
.likely {
  height: 7px;
  border-radius: 4px;
  background: var(--paper-sunk);
}
.likely i {
  display: block;
  height: 100%;
  border-radius: 4px;
  background: var(--ink-soft);
}
.used {
  font-size: 12px;
  font-weight: 600;
}
</style>
