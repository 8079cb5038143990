<script setup lang="ts">
// The session's tempo map: the range or the whole, steps and ramps, averages; meters at any bar.
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import { number } from 'yup'
import NumberField from '../../fields/NumberField.vue'
import type { BeatRange } from '../../../core/music/held-range'
import { barOfBeat } from '../../../core/music/meter-map'
import { bpmAt, secondsToBeat } from '../../../core/music/tempo-map'
import { bpmSchema } from '../../../core/session/schema'
import {
  averageTempo,
  flattenTempo,
  rampTempo,
  setMeterIn,
  setTempoIn,
} from '../../../core/session/tempo-edits'
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
const perBar = number()
  .typeError('The number of beats must be a number.')
  .required('Type how many beats a bar has.')
  .integer('A bar has a whole number of beats.')
  .min(1, 'A bar has at least one beat.')
  .max(32, 'A bar has at most 32 beats.')
function setMeter(numerator: number, denominator: number): void {
  const first = barOfBeat(session.value.meter, from.value).index
  const last = to.value === null ? null : barOfBeat(session.value.meter, to.value).index
  store.edit('Meter', (s) => setMeterIn(s, first, last, numerator, denominator))
}
const steps = computed(() => session.value.tempo.length)
</script>

<template>
  <section aria-label="Tempo map">
    <h2>
      Tempo map
      <span class="soft count">{{ words }}, {{ steps }} {{ steps === 1 ? 'tempo' : 'tempos' }}</span>
    </h2>
    <number-field
      :model-value="Number(average.toFixed(3))"
      :schema="bpmSchema"
      label="Tempo there"
      unit="BPM"
      :digits="3"
      help="One tempo for the selected bars, or from the playhead’s bar on; the field shows the average there."
      @update:model-value="set"
    />
    <div class="buttons">
      <button
        type="button"
        class="plain small"
        title="One tempo there that takes as long as now."
        @click="even"
      >
        Average
      </button>
      <button
        type="button"
        class="plain small"
        title="One tempo for the whole session: the average there."
        @click="flatten"
      >
        Flatten all
      </button>
      <button
        type="button"
        class="plain small"
        :aria-pressed="drawing"
        title="Drag on the tempo curve: every bar under the pointer takes the tempo at its height."
        @click="drawing = !drawing"
      >
        Draw
      </button>
    </div>
    <div class="row ramp">
      <span>Ramp</span>
      <number-field
        :model-value="start"
        :schema="bpmSchema"
        hide-label
        label="Ramp from"
        help="Tempo at the start of the range."
        width="54px"
        @update:model-value="(v) => (rampStart = v)"
      />
      <span>to</span>
      <number-field
        :model-value="finish"
        :schema="bpmSchema"
        hide-label
        label="Ramp to"
        help="Tempo at its end, and after it."
        width="54px"
        @update:model-value="(v) => (rampEnd = v)"
      />
      <button
        type="button"
        class="plain small"
        :disabled="!view.range"
        title="The tempo changes evenly over the selected bars, then stays."
        @click="ramp"
      >
        Set
      </button>
    </div>
    <label
      class="row"
      title="Tempos change in the selected bars only, which take as long as before: those that are not edited make up for it, and no bar outside moves."
    >
      <span>{{ held ? `Only ${barsOf(held)} change` : 'Change only these bars' }}</span>
      <input
        type="checkbox"
        aria-label="Change only these bars"
        :checked="held !== null"
        :disabled="!held && !view.range"
        @change="held = held ? null : view.range"
      />
    </label>
    <div class="row">
      <span>Meter there</span>
      <span class="pair">
        <number-field
          :model-value="meter.numerator"
          :schema="perBar"
          hide-label
          label="Beats in a bar there"
          help="Beats in the selected bars, or from the playhead’s bar on."
          width="40px"
          @update:model-value="(v) => setMeter(v, meter.denominator)"
        />
        <span>/</span>
        <select
          class="plain figures"
          aria-label="Note value of a beat there"
          :value="meter.denominator"
          @change="(e) => setMeter(meter.numerator, Number((e.target as HTMLSelectElement).value))"
        >
          <option v-for="d in [1, 2, 4, 8, 16, 32]" :key="d" :value="d">{{ d }}</option>
        </select>
      </span>
    </div>
    <label class="row" title="What recordings that do not follow the tempo do when it is edited here.">
      <span>Others</span>
      <select v-model="staying" class="plain" aria-label="Recordings that do not follow">
        <option value="stay in seconds">stay where they sound</option>
        <option value="stay on their beats">start on their beat</option>
      </select>
    </label>
  </section>
</template>

<style scoped>
.count {
  font-weight: 400;
  font-size: 12px;
}
.pair {
  display: inline-flex;
  align-items: center;
  gap: 5px;
}
.ramp {
  margin-top: 5px;
  gap: 5px !important;
}
</style>
