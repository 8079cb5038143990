<script setup lang="ts">
// The click: check at start, middle and end; sound, parts of a beat, accents, count-in.
import ActionButton from '../../actions/ActionButton.vue'
import { CLICK_SOUNDS } from '../../../core/render/click'
import { useTransport } from '../../stores/transport'

const transport = useTransport()
const PARTS = [
  [1, 'every beat'],
  [2, 'halves too'],
  [3, 'thirds too'],
  [4, 'quarters too'],
] as const
</script>

<template>
  <section aria-label="Click">
    <h2>Click</h2>
    <div class="row">
      <action-button id="click-check" small strong>
        {{ transport.checking ? `Stop (${transport.checking})` : 'Check start, middle, end' }}
      </action-button>
      <action-button id="click" small />
    </div>
    <div class="row">
      <select
        v-model="transport.clickStyle.sound"
        class="plain"
        aria-label="Click sound"
        title="What the click sounds like."
      >
        <option v-for="s in CLICK_SOUNDS" :key="s" :value="s">{{ s }}</option>
      </select>
      <select
        v-model.number="transport.clickStyle.parts"
        class="plain"
        aria-label="Parts of a beat"
        title="Softer clicks inside the beat."
      >
        <option v-for="[n, words] in PARTS" :key="n" :value="n">{{ words }}</option>
      </select>
    </div>
    <div class="row">
      <label title="Beat 1 of every bar is brighter."
        ><input v-model="transport.clickStyle.accents" type="checkbox" /> accent beat 1</label
      >
      <label title="Bars of click before playing begins, with the click on.">
        count in
        <select v-model.number="transport.countIn" class="plain" aria-label="Bars of count-in">
          <option v-for="n in [0, 1, 2]" :key="n" :value="n">{{ n }}</option>
        </select>
      </label>
    </div>
  </section>
</template>
