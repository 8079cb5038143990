<script setup lang="ts">
// The Timing desk: stage, grid and reach above it, inspector beside it.
import ActionButton from '../../actions/ActionButton.vue'
import DeskFrame from '../DeskFrame.vue'
import { DIVISIONS, GRID_KINDS, type Division, type GridKind } from '../../../core/music/grid'
import { useView } from '../../stores/view'
import DetectionPanel from './DetectionPanel.vue'
import FindingsPanel from './FindingsPanel.vue'
import MethodPanel from './MethodPanel.vue'
import NotePanel from './NotePanel.vue'
import QuantizePanel from './QuantizePanel.vue'
import { REACHES, REACH_HELP, type ReachKind } from './reach'
import TimingStage from './TimingStage.vue'
import TransposePanel from './TransposePanel.vue'

const view = useView()
const REACH_WORDS: Record<ReachKind, string> = {
  neighbours: 'to the neighbours',
  pins: 'to the next pins',
  range: 'to the range',
}
const setDivision = (e: Event): void => {
  view.grid = { ...view.grid, division: Number((e.target as HTMLSelectElement).value) as Division }
}
const setKind = (e: Event): void => {
  view.grid = { ...view.grid, kind: (e.target as HTMLSelectElement).value as GridKind }
}
</script>

<template>
  <desk-frame>
    <template #tools>
      <label title="The note value of the grid lines that notes snap and quantize to.">
        <span class="soft wordy">Grid</span>
        <select class="plain" aria-label="Grid" :value="view.grid.division" @change="setDivision">
          <option v-for="d in DIVISIONS" :key="d" :value="d">1/{{ d }}</option>
        </select>
        <select class="plain" aria-label="Kind of grid" :value="view.grid.kind" @change="setKind">
          <option v-for="k in GRID_KINDS" :key="k" :value="k">{{ k }}</option>
        </select>
      </label>
      <action-button id="snap" small />
      <label :title="REACH_HELP[view.reach]">
        <span class="soft wordy">A move reaches</span>
        <select v-model="view.reach" class="plain" aria-label="Reach">
          <option v-for="r in REACHES" :key="r" :value="r" :title="REACH_HELP[r]">
            {{ REACH_WORDS[r] }}
          </option>
        </select>
      </label>
      <span class="gap" />
      <action-button id="fit-range" small label="Fit range" />
      <action-button id="fit" small label="Whole" />
      <action-button id="zoom-out" small>−</action-button>
      <action-button id="zoom-in" small>+</action-button>
    </template>
    <timing-stage />
    <template #inspector>
      <note-panel />
      <detection-panel />
      <quantize-panel />
      <method-panel />
      <transpose-panel />
      <findings-panel />
    </template>
  </desk-frame>
</template>

<style scoped>
@media (max-width: 1230px) {
  .wordy {
    display: none;
  }
}
</style>
