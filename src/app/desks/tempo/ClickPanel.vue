<script setup lang="ts">
// The click: check at start, middle and end; sound, parts of a beat, accents, count-in.
import ActionButton from '../../actions/ActionButton.vue'
import { computed } from 'vue'
import ChoiceField from '../../controls/ChoiceField.vue'
import Hint from '../../controls/Hint.vue'
import Panel from '../../controls/Panel.vue'
import { notesPerBeat } from '../../../core/music/meter-map'
import { useSession } from '../../stores/session'
import { CLICK_SOUNDS } from '../../../core/render/click'
import { useTransport } from '../../stores/transport'

const transport = useTransport()
const store = useSession()
const SOUNDS = CLICK_SOUNDS.map((value) => ({ value, label: value }))
/** Thirds of a dotted quarter are eighths. */
const dotted = computed(() => notesPerBeat(store.session!.meter[0]!) === 3)
const parts = computed(() => [
  { value: 1 as const, label: 'every beat' },
  { value: 2 as const, label: 'halves too' },
  { value: 3 as const, label: dotted.value ? 'eighths too' : 'thirds too' },
  { value: 4 as const, label: 'quarters too' },
])
const COUNT_IN = [0, 1, 2].map((value) => ({ value, label: value === 1 ? '1 bar' : `${value} bars` }))
</script>

<template>
  <panel name="click" title="Click" :note="transport.clickStyle.sound">
    <div class="row">
      <action-button id="click-check" strong>
        {{ transport.checking ? `Stop (${transport.checking})` : 'Check start, middle, end' }}
      </action-button>
      <action-button id="click" />
    </div>
    <choice-field
      v-model="transport.clickStyle.sound"
      :options="SOUNDS"
      label="Click sound"
      help="What the click sounds like."
      open
    />
    <choice-field
      v-model="transport.clickStyle.parts"
      :options="parts"
      label="Parts of a beat"
      help="Softer clicks inside the beat."
      width="124px"
    />
    <choice-field
      v-model="transport.countIn"
      :options="COUNT_IN"
      label="Bars of count-in"
      help="Bars of click before playing begins, with the click on."
      width="124px"
    />
    <div class="row">
      <span>Accent beat 1</span>
      <hint text="Beat 1 of every bar is brighter."
        ><el-switch v-model="transport.clickStyle.accents" aria-label="Accent beat 1"
      /></hint>
    </div>
  </panel>
</template>
