<script setup lang="ts">
// The bottom bar: play, loop, position, tempo and meter, click, level, follow.
import { computed, ref, watch } from 'vue'
import ActionButton from '../actions/ActionButton.vue'
import NumberField from '../fields/NumberField.vue'
import {
  formatPosition,
  formatSeconds,
  fromPosition,
  parsePosition,
  toPosition,
} from '../../core/music/position'
import { barOfBeat } from '../../core/music/meter-map'
import { beatToSeconds, bpmAt } from '../../core/music/tempo-map'
import { setMeter, setTempo } from '../../core/session/edits'
import { bpmSchema } from '../../core/session/schema'
import { useMessages } from '../stores/messages'
import { useSession } from '../stores/session'
import { useTransport } from '../stores/transport'
import LevelMeter from './LevelMeter.vue'

const store = useSession()
const transport = useTransport()
const messages = useMessages()
const session = computed(() => store.session!)
const place = computed(() => formatPosition(toPosition(session.value.meter, transport.beat)))
const typed = ref('')
const editing = ref(false)
watch(
  place,
  (p) => {
    if (!editing.value) typed.value = p
  },
  { immediate: true },
)

function go(): void {
  editing.value = false
  if (typed.value !== place.value)
    void messages.attempt(() =>
      transport.seek(
        beatToSeconds(
          session.value.tempo,
          fromPosition(session.value.meter, parsePosition(session.value.meter, typed.value)),
        ),
      ),
    )
  typed.value = place.value
}

/** Tempo and meter where the playhead is; maps with changes are edited at the Tempo desk. */
const bpm = computed(() => bpmAt(session.value.tempo, Math.max(0, transport.beat)))
const meter = computed(() => barOfBeat(session.value.meter, Math.max(0, transport.beat)))
const ELSEWHERE = 'changes along the session; edit it at the Tempo desk.'
function changeTempo(value: number): void {
  if (session.value.tempo.length > 1) messages.say(`The tempo ${ELSEWHERE}`)
  else store.edit('Tempo', (s) => setTempo(s, value))
}
function changeMeter(part: 'numerator' | 'denominator', e: Event): void {
  const value = Number((e.target as HTMLInputElement).value)
  const next = { ...meter.value, [part]: value }
  if (session.value.meter.length > 1) messages.say(`The meter ${ELSEWHERE}`)
  if (
    session.value.meter.length > 1 ||
    !store.edit('Meter', (s) => setMeter(s, next.numerator, next.denominator))
  )
    (e.target as HTMLInputElement).value = String(meter.value[part])
}
</script>

<template>
  <footer class="bar">
    <action-button id="to-start" small>⇤</action-button>
    <action-button id="play" class="play" strong>{{ transport.playing ? 'Stop' : 'Play' }}</action-button>
    <action-button id="loop" />
    <div class="position">
      <input
        v-model="typed"
        class="figures place"
        aria-label="Position in bars, beats and ticks"
        title="The playhead in bars, beats and ticks; type another place."
        @focus="editing = true"
        @blur="go"
        @keydown.enter="($event.target as HTMLInputElement).blur()"
      />
      <span class="figures soft" data-test="time">{{ formatSeconds(transport.position) }}</span>
    </div>
    <number-field
      :model-value="bpm"
      :schema="bpmSchema"
      label="BPM"
      help="Tempo of the session in quarter notes a minute; the grid moves, pinned notes go with it."
      width="62px"
      :digits="3"
      @update:model-value="changeTempo"
    />
    <span class="meter" title="Beats in a bar, and the note value of a beat.">
      <input
        class="plain figures"
        aria-label="Beats in a bar"
        :value="meter.numerator"
        @change="changeMeter('numerator', $event)"
      />
      <span>/</span>
      <select
        class="plain figures"
        aria-label="Note value of a beat"
        :value="meter.denominator"
        @change="changeMeter('denominator', $event)"
      >
        <option v-for="d in [1, 2, 4, 8, 16, 32]" :key="d" :value="d">{{ d }}</option>
      </select>
    </span>
    <action-button id="click" />
    <input
      v-model.number="transport.clickLevel"
      class="level"
      type="range"
      min="0.05"
      max="1"
      step="0.05"
      aria-label="Click level"
      title="Level of the click."
    />
    <span class="gap" />
    <action-button id="follow" small />
    <level-meter :levels="transport.levels" />
  </footer>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 0 14px;
  border-top: 1px solid var(--line);
  background: var(--paper-raised);
}
.play {
  width: 72px;
  min-height: 34px;
}
.position {
  display: flex;
  flex-direction: column;
  align-items: flex-end;
  width: 118px;
  line-height: 1.15;
}
.place {
  width: 100%;
  padding: 0 4px;
  border: 1px solid transparent;
  border-radius: 4px;
  background: transparent;
  color: var(--ink);
  font-size: 18px;
  text-align: right;
}
.place:hover {
  border-color: var(--line);
}
.meter {
  display: flex;
  align-items: center;
  gap: 3px;
}
.meter input {
  width: 34px;
  text-align: right;
}
.level {
  width: 80px;
  accent-color: var(--ink-soft);
}
.gap {
  flex: 1;
}
.bar :deep(.field .error-text) {
  position: absolute;
  bottom: 34px;
  left: 0;
  padding: 3px 8px;
  border: 1px solid var(--danger);
  border-radius: 6px;
  background: var(--paper-raised);
  white-space: nowrap;
}
</style>
