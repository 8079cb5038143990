<script setup lang="ts">
// Known places: beat 1, "this is bar 17 beat 1", one tempo from here.
import { computed, ref, watch } from 'vue'
import { number, object } from 'yup'
import ActionButton from '../../actions/ActionButton.vue'
import { withPoint } from '../../../core/timing/count'
import { formatSeconds } from '../../../core/music/position'
import { useMessages } from '../../stores/messages'
import { useTempo } from '../../stores/tempo'

const tempo = useTempo()
const messages = useMessages()
const bar = ref('')
const beat = ref('1')
const here = computed(() => (tempo.place === null ? null : tempo.barAndBeat(tempo.place)))
watch(here, (h) => {
  if (!h) return
  bar.value = String(h.bar)
  beat.value = String(h.beat)
})
const points = computed(() => tempo.count.points)
const schema = computed(() =>
  object({
    bar: number()
      .typeError('Type the number of the bar.')
      .required('Type the number of the bar.')
      .integer('Bars have whole numbers.'),
    beat: number()
      .typeError('Type the number of the beat.')
      .required('Type the number of the beat.')
      .integer('Beats have whole numbers.')
      .min(1, 'The first beat of a bar is 1.')
      .max(tempo.counted.beatsPerBar, `A bar of this recording has ${tempo.counted.beatsPerBar} beats.`),
  }),
)

/** A place nearer to a known one than this takes its place, seconds. */
const SAME = 0.05

function know(): void {
  void messages.attempt(() => {
    const said = schema.value.validateSync({ bar: bar.value, beat: beat.value })
    const source = tempo.place!
    if (said.bar === 1 && said.beat === 1) return tempo.say('Beat 1 is here', (c) => ({ ...c, one: source }))
    tempo.say(`Bar ${said.bar} beat ${said.beat} is here`, (c) =>
      withPoint({ ...c, one: c.one ?? firstBeat() }, { source, ...said }, SAME * tempo.rate),
    )
  })
}
const firstBeat = () => tempo.snapped(tempo.counted.beats.find((b) => b.n === 0)?.source ?? 0, 0.02)
const forget = (source: number): void =>
  tempo.say('Forget a known place', (c) => ({ ...c, points: c.points.filter((p) => p.source !== source) }))
const at = (source: number): string => formatSeconds(tempo.secondOf(source))
</script>

<template>
  <section aria-label="Known places">
    <h2>Known places</h2>
    <p v-if="tempo.place === null" class="soft">Click the waveform where a clear low drum or chord begins.</p>
    <p v-else class="figures" data-test="chosen-place">
      Chosen: {{ at(tempo.place) }}<template v-if="here">, bar {{ here.bar }} beat {{ here.beat }}</template>
    </p>
    <div class="buttons">
      <action-button id="one-here" small strong />
      <action-button id="hold-from-here" small />
    </div>
    <form class="row say" @submit.prevent="know">
      <span>This is bar</span>
      <input v-model="bar" class="plain figures" aria-label="Number of the bar here" size="3" />
      <span>beat</span>
      <input v-model="beat" class="plain figures" aria-label="Number of the beat here" size="1" />
      <button
        type="submit"
        class="plain small"
        :disabled="tempo.place === null"
        title="Holds the chosen place at this bar and beat; what lies before stays as it is."
      >
        Set
      </button>
    </form>
    <ul v-if="points.length || tempo.count.one !== null">
      <li v-if="tempo.count.one !== null" class="figures">1|1 at {{ at(tempo.count.one) }}</li>
      <li v-for="p in points" :key="p.source" class="figures">
        {{ p.bar }}|{{ p.beat }} at {{ at(p.source) }}
        <button
          type="button"
          class="plain small"
          :aria-label="`Forget bar ${p.bar} beat ${p.beat}`"
          title="Takes this known place out."
          @click="forget(p.source)"
        >
          Forget
        </button>
      </li>
    </ul>
    <p v-if="tempo.suggestion" class="row">
      <span class="soft" data-test="suggestion">
        Next: bar {{ tempo.suggestion.bar }}, where the music is
        {{ Math.round(1000 * Math.abs(tempo.suggestion.off)) }} ms
        {{ tempo.suggestion.off > 0 ? 'late' : 'early' }}.
      </span>
      <action-button id="next-worst" small label="Go" />
    </p>
  </section>
</template>

<style scoped>
.say {
  margin-top: 6px;
}
.say input {
  width: 40px;
  text-align: right;
}
ul {
  margin: 2px 0;
  padding: 0;
  list-style: none;
}
li {
  display: flex;
  align-items: center;
  justify-content: space-between;
  min-height: 25px;
  font-size: 12px;
}
</style>
