<script setup lang="ts">
// The bottom bar: play, loop, position, tempo with its note and meter, click, level, follow.
import { Play, Square } from '@lucide/vue'
import { computed } from 'vue'
import ActionButton from '../actions/ActionButton.vue'
import { shortcutText, useActions } from '../actions/actions'
import ChoiceField from '../controls/ChoiceField.vue'
import Hint from '../controls/Hint.vue'
import MeterField from '../controls/MeterField.vue'
import NumberField from '../controls/NumberField.vue'
import Say from '../controls/Say.vue'
import TextField from '../controls/TextField.vue'
import {
  formatPosition,
  formatSeconds,
  fromPosition,
  parsePosition,
  toPosition,
} from '../../core/music/position'
import { barOfBeat, isCompound } from '../../core/music/meter-map'
import { beatToSeconds, bpmAt } from '../../core/music/tempo-map'
import { countAsWritten, setMeter, setTempo } from '../../core/session/edits'
import { bpmSchemaFor } from '../../core/session/schema'
import { beatOf } from '../stage/beat-words'
import { useMessages } from '../stores/messages'
import { useSession } from '../stores/session'
import { useTransport } from '../stores/transport'
import LevelMeter from './LevelMeter.vue'

const store = useSession()
const transport = useTransport()
const messages = useMessages()
const actions = useActions()
const session = computed(() => store.session!)
const place = computed(() => formatPosition(toPosition(session.value.meter, transport.beat)))

const go = (typed: string): void =>
  transport.seek(
    beatToSeconds(
      session.value.tempo,
      fromPosition(session.value.meter, parsePosition(session.value.meter, typed)),
    ),
  )

/** Tempo and meter where the playhead is; maps with changes are edited at the Tempo desk. */
const bar = computed(() => barOfBeat(session.value.meter, Math.max(0, transport.beat)))
const written = computed(() => bar.value.beatLength === 4 / bar.value.denominator)
const beat = computed(() => beatOf({ ...bar.value, written: written.value }))
const bpm = computed(() => bpmAt(session.value.tempo, Math.max(0, transport.beat)) / beat.value.quarters)
const bpmSchema = computed(() => bpmSchemaFor(beat.value.quarters))
const ELSEWHERE = 'changes along the session; edit it at the Tempo desk.'
const COUNTS = computed(() => [
  { value: 'dotted', label: `${beatOf(plain.value).sign}`, help: beatOf(plain.value).name },
  {
    value: 'written',
    label: beatOf({ ...plain.value, written: true }).sign,
    help: beatOf({ ...plain.value, written: true }).name,
  },
])
const plain = computed(() => ({ numerator: bar.value.numerator, denominator: bar.value.denominator }))
function changeTempo(value: number): void {
  if (session.value.tempo.length > 1) messages.say(`The tempo ${ELSEWHERE}`)
  else store.edit('Tempo', (s) => setTempo(s, value * beat.value.quarters))
}
function changeMeter(numerator: number, denominator: number): void {
  if (session.value.meter.length > 1) messages.say(`The meter ${ELSEWHERE}`)
  else store.edit('Meter', (s) => setMeter(s, numerator, denominator))
}
</script>

<template>
  <footer class="bar">
    <action-button id="to-start" icon-only bare />
    <say
      class="play"
      help="Plays from the playhead; stops and goes back to where it began."
      :keys="shortcutText('Space')"
      strong
      :icon="transport.playing ? Square : Play"
      :disabled="!actions.get('play').enabled()"
      data-action="play"
      data-walk="play"
      @click="actions.run('play')"
      >{{ transport.playing ? 'Stop' : 'Play' }}</say
    >
    <action-button id="loop" />
    <div class="position">
      <text-field
        class="figures place"
        :value="place"
        label="Position in bars, beats and ticks"
        help="The playhead as bar.beat.tick; type another place."
        :take="go"
      />
      <span class="figures soft" data-test="time">{{ formatSeconds(transport.position) }}</span>
    </div>
    <span class="tempo">
      <choice-field
        v-if="isCompound(bar)"
        :model-value="written ? 'written' : 'dotted'"
        :options="COUNTS"
        label="Counted note"
        help="Which note is a beat: the dotted one that is felt, or those of the signature. Ruler, click and tempo follow; nothing that sounds changes."
        hide-label
        width="58px"
        @update:model-value="
          (v) =>
            store.edit(v === 'written' ? 'Count as written' : 'Count dotted beats', (s) =>
              countAsWritten(s, v === 'written'),
            )
        "
      />
      <hint v-else :text="`The tempo counts ${beat.name}s.`"
        ><span class="sign" :aria-label="beat.name" role="img">{{ beat.sign }}</span></hint
      >
      <span>=</span>
      <number-field
        :model-value="bpm"
        :schema="bpmSchema"
        label="BPM"
        hide-label
        :help="`Tempo of the session, ${beat.name}s a minute; the grid moves, pinned notes go with it.`"
        width="80px"
        :digits="3"
        @update:model-value="changeTempo"
      />
    </span>
    <meter-field
      :numerator="bar.numerator"
      :denominator="bar.denominator"
      label="Beats in a bar"
      unit-label="Note value of a beat"
      @change="changeMeter"
    />
    <action-button id="click" />
    <hint text="Level of the click.">
      <span class="level">
        <el-slider
          v-model="transport.clickLevel"
          :min="0.05"
          :max="1"
          :step="0.05"
          :show-tooltip="false"
          aria-label="Click level"
        />
      </span>
    </hint>
    <span class="gap" />
    <action-button id="follow" />
    <level-meter :levels="transport.levels" />
  </footer>
</template>

<style scoped>
.bar {
  display: flex;
  flex: none;
  align-items: center;
  gap: 10px;
  height: 58px;
  padding: 0 14px;
  border-top: 1px solid var(--line);
  background: var(--paper-raised);
}
.bar :deep(.play) {
  width: 82px;
  height: 34px;
  font-size: 14px;
}
.position {
  display: flex;
  flex: none;
  flex-direction: column;
  align-items: flex-end;
  width: 118px;
  line-height: 1.15;
}
.place {
  position: relative;
  width: 100%;
}
.place :deep(input) {
  font-family: var(--figures);
  font-size: 18px;
  text-align: right;
}
.place :deep(.el-input__wrapper) {
  padding: 1px 4px;
}
.tempo {
  position: relative;
  display: flex;
  align-items: center;
  gap: 6px;
}
.sign {
  font-size: 17px;
}
.level {
  flex: 0 1 80px;
  min-width: 40px;
  padding: 0 7px;
}
.gap {
  flex: 1;
}
.bar :deep(.error-text) {
  position: absolute;
  bottom: 36px;
  left: 0;
  z-index: 10;
  width: auto;
  padding: 3px 8px;
  border: 1px solid var(--danger);
  border-radius: 6px;
  background: var(--paper-raised);
  white-space: nowrap;
}
@media (max-width: 1000px) {
  .bar {
    gap: 5px;
    padding: 0 6px;
  }
  .level {
    display: none;
  }
}
</style>
