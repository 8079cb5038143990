<script setup lang="ts">
// Length of the clip in bars, and fitting it: stretched to a length, counted as so many bars, trimmed.
import { computed, ref } from 'vue'
import { number } from 'yup'
import NumberField from '../../controls/NumberField.vue'
import Panel from '../../controls/Panel.vue'
import Say from '../../controls/Say.vue'
import TextField from '../../controls/TextField.vue'
import { barLength } from '../../../core/music/meter-map'
import { formatLength, parseLength } from '../../../core/music/position'
import { fitToLength, lengthInBeats, trimEnd } from '../../../core/session/length-edits'
import { sourceOfBeat } from '../../../core/timing/count'
import { samples } from '../../../core/units'
import { useSession } from '../../stores/session'
import { useTempo } from '../../stores/tempo'
import { useView } from '../../stores/view'

const store = useSession()
const tempo = useTempo()
const view = useView()
const session = computed(() => store.session!)
const clip = computed(() => tempo.focused?.clip)
const length = computed(() => (clip.value ? lengthInBeats(session.value, clip.value.id) : 0))
const shown = computed(() => formatLength(session.value.meter, length.value))
/** Length by the recording's own count. */
const own = computed(() => {
  const c = clip.value
  const k = tempo.counted
  if (!c || k.beats.length < 2) return null
  const gap = (k.beats[k.beats.length - 1]!.source - k.beats[0]!.source) / (k.beats.length - 1)
  return { beats: (c.end - c.start) / gap, perBar: k.beatsPerBar }
})
const ownWords = computed(() =>
  own.value ? `${(own.value.beats / own.value.perBar).toFixed(3)} bars of its own count` : '',
)
const ratio = computed(() => {
  const f = tempo.focused
  if (!f || !tempo.map) return 1
  const last = tempo.map[tempo.map.length - 1]!
  return (last.target - tempo.map[0]!.target) / (last.source - tempo.map[0]!.source)
})
/** Beat 1 this near to the start of a clip is its start, seconds. */
const AT_START = 0.02
const bars = ref(4)
const whole = number()
  .typeError('The number of bars must be a number.')
  .required('Type a number of bars.')
  .integer('Type a whole number of bars.')
  .min(1, 'Type at least one bar.')
  .max(9999, 'Type at most 9999 bars.')

function fit(beats: number): void {
  const c = clip.value
  if (c) store.edit('Fit to length', (s) => fitToLength(s, c.id, beats))
}
const typed = (text: string): void => fit(parseLength(session.value.meter, text))
/** The clip, or the selected range, is so many bars: that gives the tempo. */
function count(): void {
  const c = clip.value
  if (!c) return
  const r = view.rangeSeconds
  const [from, to] = r ? [tempo.sourceAt(r.from), tempo.sourceAt(r.to)] : [c.start as number, c.end as number]
  const held = (60 * bars.value * tempo.counted.beatsPerBar * tempo.rate) / (to - from)
  tempo.say(`Count it as ${bars.value} bars`, (k) => ({
    ...k,
    held,
    one: samples(Math.max(0, from)),
    points: [],
  }))
}
/** Ends the clip where its own count has so many bars. */
function trim(): void {
  const c = clip.value
  if (!c) return
  // A loop begins at its start, though the attack of its beat 1 be heard a moment later.
  const early = c.start - sourceOfBeat(tempo.counted, 0)
  const shift = Math.abs(early) < AT_START * tempo.rate ? early : 0
  const at = sourceOfBeat(tempo.counted, bars.value * tempo.counted.beatsPerBar) + shift
  store.edit(`Trim to ${bars.value} bars`, (s) => trimEnd(s, c.id, at))
}
const fitBars = (): void => fit(bars.value * barLength(session.value.meter[0]!))
</script>

<template>
  <panel v-if="clip" name="length" title="Length" :note="shown">
    <div class="row">
      <span>On the grid</span>
      <text-field
        class="length"
        :value="shown"
        label="Length in bars, beats and ticks"
        help="Type another length, “4 bars” or 4.0.0, and the recording is stretched to it."
        width="170px"
        :take="typed"
      />
    </div>
    <p class="soft figures" data-test="length-words">
      {{ ownWords }}{{ ownWords ? ', ' : '' }}{{ (100 * ratio).toFixed(1) }} % as long as played
    </p>
    <div class="buttons">
      <say help="Half as long: played twice as fast." @click="fit(length / 2)">½ length</say>
      <say help="Twice as long: played half as fast." @click="fit(length * 2)">2 × length</say>
    </div>
    <div class="bars">
      <span>Bars</span>
      <number-field
        v-model="bars"
        :schema="whole"
        label="Bars"
        help="How many bars the recording, or the selected range, has."
        width="44px"
        hide-label
        :digits="0"
      />
      <say help="It is so many bars: that gives its tempo. Nothing is stretched." @click="count">Count</say>
      <say help="Ends it where its own count has so many bars; the rest is not lost." @click="trim">Trim</say>
      <say help="Stretches it to so many bars of the session." @click="fitBars">Fit</say>
    </div>
  </panel>
</template>

<style scoped>
.bars {
  display: flex;
  align-items: center;
  gap: 5px;
  margin-top: 6px;
}
.length :deep(input) {
  text-align: right;
}
</style>
