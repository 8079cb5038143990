<script setup lang="ts">
// The tempo of the focused recording: what was found, what else it could be, what the file states, and corrections.
import { computed } from 'vue'
import ActionButton from '../../actions/ActionButton.vue'
import { taps } from '../../actions/tempo-actions'
import Hint from '../../controls/Hint.vue'
import MeterField from '../../controls/MeterField.vue'
import NumberField from '../../controls/NumberField.vue'
import Panel from '../../controls/Panel.vue'
import Say from '../../controls/Say.vue'
import { beatOf, tempoWith } from '../../stage/beat-words'
import type { TempoCandidate } from '../../../core/analysis/beats/track'
import { bpmSchemaFor } from '../../../core/session/schema'
import { useTempo } from '../../stores/tempo'
import { relationWords, statedWords } from './tempo-words'

const tempo = useTempo()
/** The likeliest, and half and double always. */
const candidates = computed(() =>
  (tempo.findings?.tempo.candidates ?? []).filter(
    (c, i) => i < 4 || c.relation === 'half' || c.relation === 'double',
  ),
)
const beat = computed(() => beatOf(tempo.signature))
/** Held tempos are typed in counted beats; the document has them in notes of the signature. */
const schema = computed(() => bpmSchemaFor(tempo.notes))
/** A candidate in the note it would be counted in: that of the meter for the one in use, else a beat of its own. */
const candidateWords = (c: TempoCandidate): string =>
  inUse(c) ? tempoWith(tempo.signature, c.bpm / tempo.notes) : `♩ = ${c.bpm.toFixed(1)}`
const kind = computed(() => {
  if (tempo.count.held !== null)
    return tempo.count.points.length ? 'held between known places' : 'one tempo, held'
  return tempo.source?.tempo.steady ? 'one tempo throughout' : 'changing, beat by beat'
})
const stated = computed(() => statedWords(tempo.focused?.recording.stated, tempo.bpm))
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
const inUse = (c: TempoCandidate): boolean => Math.abs(c.bpm / (tempo.bpm * tempo.notes) - 1) < 0.03
function between(part: 'low' | 'high', value: number): void {
  const now = tempo.count.range ?? {
    low: Math.round(tempo.bpm * 0.9) * tempo.notes,
    high: Math.round(tempo.bpm * 1.1) * tempo.notes,
  }
  const range = { ...now, [part]: value * tempo.notes }
  if (range.low < range.high)
    tempo.say(
      'Tempo between',
      (c) => ({ ...c, range, held: null, times: 1, one: null, points: [] }),
      'between',
    )
}
</script>

<template>
  <panel
    name="tempo"
    title="Tempo of this recording"
    :note="tempo.bpm ? tempoWith(tempo.signature, tempo.bpm) : ''"
  >
    <p class="big">
      <b
        ><span :aria-label="beat.name" role="img">{{ beat.sign }}</span> =
        <span class="figures" data-test="counted-bpm">{{ tempo.bpm ? tempo.bpm.toFixed(2) : '–' }}</span></b
      >
      <span class="soft">{{ kind }}</span>
    </p>
    <p v-if="stated" class="soft" data-test="stated">{{ stated }}</p>
    <div class="buttons">
      <action-button id="half-tempo" />
      <action-button id="double-tempo" />
      <action-button id="whole-bpm" />
      <action-button id="tap">Tap{{ taps.length > 1 ? ` ${taps.length}` : '' }}</action-button>
      <action-button id="count-as-found" label="Forget" />
    </div>
    <div class="row between">
      <span class="pair">
        <span>Hold</span>
        <number-field
          :model-value="tempo.bpm || 120"
          :schema="schema"
          label="Hold at"
          hide-label
          :digits="3"
          width="66px"
          help="One tempo for the whole recording, from its beat 1; type it."
          @update:model-value="(v) => tempo.say('Hold a tempo', (c) => ({ ...c, held: v * tempo.notes }))"
        />
      </span>
      <span class="pair">
        <span>in</span>
        <meter-field
          :numerator="tempo.counted.beatsPerBar"
          :denominator="tempo.counted.beatUnit"
          :values="[2, 4, 8, 16]"
          label="Beats in a bar of this recording"
          unit-label="Note value of a beat of this recording"
          help="How many notes a bar of this recording has."
          @change="
            (beatsPerBar, beatUnit) =>
              tempo.say('Meter of the recording', (c) => ({ ...c, beatsPerBar, beatUnit }))
          "
        />
      </span>
    </div>
    <el-table
      v-if="candidates.length"
      :data="[...candidates]"
      size="small"
      aria-label="What the tempo could be"
    >
      <el-table-column label="Tempo" width="94">
        <template #default="{ row }"
          ><span class="figures" :class="{ used: inUse(row as TempoCandidate) }">{{
            candidateWords(row as TempoCandidate)
          }}</span></template
        >
      </el-table-column>
      <el-table-column label="Likely" width="46">
        <template #default="{ row }">
          <hint :text="`${Math.round(100 * row.score)} % likely`"
            ><el-progress
              :percentage="Math.round(100 * row.score)"
              :show-text="false"
              :stroke-width="7"
              :aria-label="`${Math.round(100 * row.score)} % likely`"
          /></hint>
        </template>
      </el-table-column>
      <el-table-column label="Why">
        <template #default="{ row }">
          <hint :text="row.evidence.join(' ')"
            ><span class="soft">{{
              relationWords(row as TempoCandidate) || row.evidence[0] || 'other'
            }}</span></hint
          >
        </template>
      </el-table-column>
      <el-table-column label="" width="52">
        <template #default="{ row }">
          <say
            v-if="!inUse(row as TempoCandidate)"
            help="Looks for the beats again around this tempo."
            :name="`Use ${row.bpm.toFixed(1)}`"
            @click="use(row as TempoCandidate)"
            >Use</say
          >
          <b v-else>in use</b>
        </template>
      </el-table-column>
    </el-table>
    <div class="row between">
      <span>Between</span>
      <span class="pair">
        <number-field
          :model-value="tempo.count.range ? tempo.count.range.low / tempo.notes : Math.round(tempo.bpm * 0.9)"
          :schema="schema"
          label="Lowest tempo"
          hide-label
          width="56px"
          help="The beats are found again, only among tempos of at least this."
          @update:model-value="(v) => between('low', v)"
        />
        <span>and</span>
        <number-field
          :model-value="
            tempo.count.range ? tempo.count.range.high / tempo.notes : Math.round(tempo.bpm * 1.1)
          "
          :schema="schema"
          label="Highest tempo"
          hide-label
          width="56px"
          help="The beats are found again, only among tempos of at most this."
          @update:model-value="(v) => between('high', v)"
        />
      </span>
    </div>
  </panel>
</template>

<style scoped>
.big {
  display: flex;
  align-items: baseline;
  gap: 6px;
  font-size: 12px;
}
.big b {
  font-size: 22px;
}
.pair {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}
.between {
  margin-top: 6px;
}
</style>
