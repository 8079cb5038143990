<script setup lang="ts">
// The session's tempo map: the range or the whole, steps and ramps, averages; meters at any bar.
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { Pencil } from '@lucide/vue'
import ChoiceField from '../../controls/ChoiceField.vue'
import Hint from '../../controls/Hint.vue'
import MeterField from '../../controls/MeterField.vue'
import NumberField from '../../controls/NumberField.vue'
import Panel from '../../controls/Panel.vue'
import Say from '../../controls/Say.vue'
import type { BeatRange } from '../../../core/music/held-range'
import { barOfBeat } from '../../../core/music/meter-map'
import { bpmAt, secondsToBeat } from '../../../core/music/tempo-map'
import { bpmSchemaFor } from '../../../core/session/schema'
import {
  averageTempo,
  flattenTempo,
  rampTempo,
  setMeterIn,
  setTempoIn,
} from '../../../core/session/tempo-edits'
import { beatOf } from '../../stage/beat-words'
import { useSession } from '../../stores/session'
import { useTransport } from '../../stores/transport'
import { useView } from '../../stores/view'
import { drawing, held, staying } from './choices'

const store = useSession()
const view = useView()
const transport = useTransport()
const session = computed(() => store.session!)
const here = computed(() => barOfBeat(session.value.meter, Math.max(0, transport.beat)))
/** Beats that an edit concerns: the range, or from the bar of the playhead on. */
const from = computed(() => view.range?.from ?? here.value.start)
const to = computed(() => view.range?.to ?? null)
const bar = (b: number): number => barOfBeat(session.value.meter, b).index + 1
const barsOf = (r: BeatRange): string => `bars ${bar(r.from)} to ${bar(r.to - 1e-6)}`
const words = computed(() => (view.range ? barsOf(view.range) : `bar ${bar(from.value)} on`))
const end = computed(() => to.value ?? secondsToBeat(session.value.tempo, view.extent.to))
const average = computed(() =>
  averageTempo(session.value.tempo, from.value, Math.max(from.value + 1, end.value)),
)
/** Tempos are shown and typed in the beats that are counted there, and kept in quarter notes. */
const beat = computed(() =>
  beatOf({ ...meter.value, written: meter.value.beatLength === 4 / meter.value.denominator }),
)
const schema = computed(() => bpmSchemaFor(beat.value.quarters))
const inBeats = (quarters: number): number => quarters / beat.value.quarters
const inQuarters = (bpm: number): number => bpm * beat.value.quarters
const OTHERS = [
  { value: 'stay in seconds', label: 'stay where they sound' },
  { value: 'stay on their beats', label: 'start on their beat' },
] as const
const rampStart = ref(0)
const rampEnd = ref(0)
const start = computed(() => rampStart.value || Number(bpmAt(session.value.tempo, from.value).toFixed(2)))
const finish = computed(() => rampEnd.value || Number(bpmAt(session.value.tempo, end.value).toFixed(2)))

onBeforeUnmount(() => (held.value = null))
watch([from, end], () => (rampStart.value = rampEnd.value = 0))

const set = (bpm: number): unknown =>
  store.edit('Tempo of a range', (s) => setTempoIn(s, from.value, to.value, bpm, staying.value, held.value))
/** One tempo that takes as long as now, so that nothing moves but what is in the range. */
const even = (): unknown =>
  store.edit('Average tempo', (s) => {
    const whole = averageTempo(s.tempo, from.value, Math.max(from.value + 1, end.value))
    return setTempoIn(s, from.value, to.value, whole, staying.value, held.value)
  })
const ramp = (): unknown =>
  store.edit('Tempo ramp', (s) =>
    rampTempo(s, from.value, end.value, start.value, finish.value, staying.value, held.value),
  )
const flatten = (): unknown =>
  store.edit('One tempo', (s) => flattenTempo(s, Number(average.value.toFixed(2)), staying.value))

const meter = computed(() => barOfBeat(session.value.meter, from.value))
function setMeter(numerator: number, denominator: number): void {
  const first = barOfBeat(session.value.meter, from.value).index
  const last = to.value === null ? null : barOfBeat(session.value.meter, to.value).index
  store.edit('Meter', (s) => setMeterIn(s, first, last, numerator, denominator))
}
const steps = computed(() => session.value.tempo.length)
</script>

<template>
  <panel name="map" title="Tempo map" :note="`${words}, ${steps} ${steps === 1 ? 'tempo' : 'tempos'}`">
    <number-field
      :model-value="Number(inBeats(average).toFixed(3))"
      :schema="schema"
      label="Tempo there"
      :unit="beat.sign"
      :digits="3"
      help="One tempo for the selected bars, or from the playhead’s bar on; the field shows the average there."
      @update:model-value="(v) => set(inQuarters(v))"
    />
    <div class="buttons">
      <say help="One tempo there that takes as long as now." @click="even">Average</say>
      <say help="One tempo for the whole session: the average there." @click="flatten">Flatten all</say>
      <say
        help="Drag on the tempo curve: every bar under the pointer takes the tempo at its height."
        :icon="Pencil"
        :on="drawing"
        @click="drawing = !drawing"
        >Draw</say
      >
    </div>
    <div class="ramp">
      <span>Ramp</span>
      <number-field
        :model-value="inBeats(start)"
        :schema="schema"
        hide-label
        label="Ramp from"
        help="Tempo at the start of the range."
        width="60px"
        @update:model-value="(v) => (rampStart = inQuarters(v))"
      />
      <span>to</span>
      <number-field
        :model-value="inBeats(finish)"
        :schema="schema"
        hide-label
        label="Ramp to"
        help="Tempo at its end, and after it."
        width="60px"
        @update:model-value="(v) => (rampEnd = inQuarters(v))"
      />
      <say
        help="The tempo changes evenly over the selected bars, then stays."
        :disabled="!view.range"
        @click="ramp"
        >Set ramp</say
      >
    </div>
    <div class="row">
      <span>{{ held ? `Only ${barsOf(held)} change` : 'Change only these bars' }}</span>
      <hint
        text="Tempos change in the selected bars only, which take as long as before: those that are not edited make up for it, and no bar outside moves."
      >
        <el-switch
          :model-value="held !== null"
          :disabled="!held && !view.range"
          aria-label="Change only these bars"
          @change="held = held ? null : view.range"
        />
      </hint>
    </div>
    <div class="row">
      <span>Meter there</span>
      <meter-field
        :numerator="meter.numerator"
        :denominator="meter.denominator"
        label="Beats in a bar there"
        unit-label="Note value of a beat there"
        help="Notes of a bar, in the selected bars, or from the playhead’s bar on."
        @change="setMeter"
      />
    </div>
    <choice-field
      v-model="staying"
      :options="OTHERS"
      label="Others"
      help="What recordings that do not follow the tempo do when it is edited here."
      width="168px"
    />
  </panel>
</template>

<style scoped>
.ramp {
  display: flex;
  align-items: center;
  gap: 5px;
  margin-top: 5px;
}
</style>
