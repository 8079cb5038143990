<script setup lang="ts">
// The Tempo desk: waveform with its beats, tempo curve, drift; inspector beside them.
import ActionButton from '../../actions/ActionButton.vue'
import DeskFrame from '../DeskFrame.vue'
import { useTempo } from '../../stores/tempo'
import AgreePanel from './AgreePanel.vue'
import ClickPanel from './ClickPanel.vue'
import DriftChart from './DriftChart.vue'
import ExchangePanel from './ExchangePanel.vue'
import LengthPanel from './LengthPanel.vue'
import MapPanel from './MapPanel.vue'
import PlacesPanel from './PlacesPanel.vue'
import TempoPanel from './TempoPanel.vue'
import TempoStage from './TempoStage.vue'

const tempo = useTempo()
</script>

<template>
  <desk-frame name="tempo" title="Tempo desk" :unfolded="['tempo', 'places', 'agree', 'length']">
    <template #tools>
      <b class="name">{{ tempo.focused?.track.name ?? '' }}</b>
      <action-button id="one-here" />
      <action-button id="hold-from-here" />
      <action-button id="click-check" />
      <span class="gap" />
      <action-button id="fit" label="Whole" />
      <action-button id="zoom-out" icon-only />
      <action-button id="zoom-in" icon-only />
    </template>
    <tempo-stage />
    <drift-chart />
    <template #inspector>
      <template v-if="tempo.focused">
        <tempo-panel />
        <places-panel />
        <agree-panel />
        <length-panel />
      </template>
      <map-panel />
      <click-panel />
      <exchange-panel />
    </template>
  </desk-frame>
</template>

<style scoped>
.name {
  max-width: 160px;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
