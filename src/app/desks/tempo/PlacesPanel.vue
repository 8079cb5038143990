<script setup lang="ts">
// Known places: beat 1, "this is bar 17 beat 1", one tempo from here.
import { computed, ref, watch } from 'vue'
import { number } from 'yup'
import ActionButton from '../../actions/ActionButton.vue'
import NumberField from '../../controls/NumberField.vue'
import Panel from '../../controls/Panel.vue'
import Say from '../../controls/Say.vue'
import { withPoint } from '../../../core/timing/count'
import { formatSeconds } from '../../../core/music/position'
import { useMessages } from '../../stores/messages'
import { useTempo } from '../../stores/tempo'

const tempo = useTempo()
const messages = useMessages()
const bar = ref(1)
const beat = ref(1)
const here = computed(() => (tempo.place === null ? null : tempo.barAndBeat(tempo.place)))
watch(here, (h) => {
  if (!h) return
  bar.value = h.bar
  beat.value = h.beat
})
const points = computed(() => tempo.count.points)
const perBar = computed(() => tempo.counted.beatsPerBar / tempo.notes)
const barSchema = number()
  .typeError('Type the number of the bar.')
  .required('Type the number of the bar.')
  .integer('Bars have whole numbers.')
const beatSchema = computed(() =>
  number()
    .typeError('Type the number of the beat.')
    .required('Type the number of the beat.')
    .integer('Beats have whole numbers.')
    .min(1, 'The first beat of a bar is 1.')
    .max(perBar.value, `A bar of this recording has ${perBar.value} beats.`),
)

/** A place nearer to a known one than this takes its place, seconds. */
const SAME = 0.05

function know(): void {
  void messages.attempt(() => {
    const said = {
      bar: barSchema.validateSync(bar.value)!,
      beat: beatSchema.value.validateSync(beat.value)!,
    }
    const source = tempo.place!
    if (said.bar === 1 && said.beat === 1) return tempo.say('Beat 1 is here', (c) => ({ ...c, one: source }))
    const point = { source, bar: said.bar, beat: tempo.toNotes(said.beat) }
    tempo.say(`Bar ${said.bar} beat ${said.beat} is here`, (c) =>
      withPoint({ ...c, one: c.one ?? firstBeat() }, point, SAME * tempo.rate),
    )
  })
}
const firstBeat = () => tempo.snapped(tempo.counted.beats.find((b) => b.n === 0)?.source ?? 0, 0.02)
const forget = (source: number): void =>
  tempo.say('Forget a known place', (c) => ({ ...c, points: c.points.filter((p) => p.source !== source) }))
/** What is known, beat 1 first. */
const known = computed(() => [
  ...(tempo.count.one === null ? [] : [{ source: tempo.count.one, bar: 1, beat: 1, one: true }]),
  ...points.value.map((p) => ({ ...p, beat: tempo.toBeat(p.beat), one: false })),
])
const at = (source: number): string => formatSeconds(tempo.secondOf(source))
</script>

<template>
  <panel
    name="places"
    title="Known places"
    :note="known.length ? `${known.length} known` : 'beat 1, bars that are sure'"
  >
    <p v-if="tempo.place === null" class="soft">Click the waveform where a clear low drum or chord begins.</p>
    <p v-else class="figures" data-test="chosen-place">
      Chosen: {{ at(tempo.place) }}<template v-if="here">, bar {{ here.bar }} beat {{ here.beat }}</template>
    </p>
    <div class="buttons">
      <action-button id="one-here" strong />
      <action-button id="hold-from-here" />
    </div>
    <div class="say">
      <span>This is bar</span>
      <number-field
        v-model="bar"
        :schema="barSchema"
        label="Number of the bar here"
        help="Which bar the chosen place begins, or lies in."
        width="46px"
        hide-label
        :digits="0"
      />
      <span>beat</span>
      <number-field
        v-model="beat"
        :schema="beatSchema"
        label="Number of the beat here"
        help="Which beat of the bar it is."
        width="36px"
        hide-label
        :digits="0"
      />
      <say
        help="Holds the chosen place at this bar and beat; what lies before stays as it is."
        :disabled="tempo.place === null"
        @click="know"
        >Set</say
      >
    </div>
    <el-table v-if="known.length" :data="known" size="small" class="figures">
      <el-table-column label="Bar.beat" width="76">
        <template #default="{ row }">{{ row.bar }}.{{ row.beat }}</template>
      </el-table-column>
      <el-table-column label="At">
        <template #default="{ row }">{{ at(row.source) }}</template>
      </el-table-column>
      <el-table-column label="" width="78">
        <template #default="{ row }">
          <say
            v-if="!row.one"
            help="Takes this known place out."
            :name="`Forget bar ${row.bar} beat ${row.beat}`"
            @click="forget(row.source)"
            >Forget</say
          >
        </template>
      </el-table-column>
    </el-table>
    <p v-if="tempo.suggestion" class="row">
      <span class="soft" data-test="suggestion">
        Next: bar {{ tempo.suggestion.bar }}, where the music is
        {{ Math.round(1000 * Math.abs(tempo.suggestion.off)) }} ms
        {{ tempo.suggestion.off > 0 ? 'late' : 'early' }}.
      </span>
      <action-button id="next-worst" label="Go" />
    </p>
  </panel>
</template>

<style scoped>
.say {
  display: flex;
  align-items: center;
  gap: 5px;
  margin: 6px 0;
}
</style>
