<script setup lang="ts">
// The Tempo desk: waveform with its beats, tempo curve, drift; inspector beside them.
import ActionButton from '../../actions/ActionButton.vue'
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
  <div class="desk">
    <div class="work">
      <div class="tools">
        <b class="name">{{ tempo.focused?.track.name ?? '' }}</b>
        <action-button id="one-here" small />
        <action-button id="hold-from-here" small />
        <action-button id="click-check" small />
        <span class="gap" />
        <action-button id="fit" small label="Whole" />
        <action-button id="zoom-out" small>−</action-button>
        <action-button id="zoom-in" small>+</action-button>
      </div>
      <tempo-stage />
      <drift-chart />
    </div>
    <aside class="inspector" aria-label="Inspector">
      <template v-if="tempo.focused">
        <tempo-panel />
        <places-panel />
        <agree-panel />
        <length-panel />
      </template>
      <map-panel />
      <click-panel />
      <exchange-panel />
    </aside>
  </div>
</template>

<style scoped>
.desk {
  display: flex;
  flex: 1;
  min-height: 0;
}
.work {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-width: 0;
}
.tools {
  display: flex;
  align-items: center;
  gap: 8px;
  height: 38px;
  padding: 0 10px;
  border-bottom: 1px solid var(--line);
  font-size: 13px;
  white-space: nowrap;
}
.name {
  max-width: 160px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.gap {
  flex: 1;
}
</style>
