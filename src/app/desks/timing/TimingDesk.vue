<script setup lang="ts">
// The Timing desk: stage, grid and reach above it, inspector beside it.
import ActionButton from '../../actions/ActionButton.vue'
import ChoiceField from '../../controls/ChoiceField.vue'
import DeskFrame from '../DeskFrame.vue'
import { DIVISIONS, GRID_KINDS } from '../../../core/music/grid'
import { useView } from '../../stores/view'
import DetectionPanel from './DetectionPanel.vue'
import FindingsPanel from './FindingsPanel.vue'
import MethodPanel from './MethodPanel.vue'
import NotePanel from './NotePanel.vue'
import NotesPanel from './NotesPanel.vue'
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
const values = DIVISIONS.map((value) => ({ value, label: `1/${value}` }))
const kinds = GRID_KINDS.map((value) => ({ value, label: value }))
const reaches = REACHES.map((value) => ({ value, label: REACH_WORDS[value], help: REACH_HELP[value] }))
</script>

<template>
  <desk-frame name="timing" title="Timing desk" :unfolded="['note', 'transients', 'quantize']">
    <template #tools>
      <span class="group">
        <span class="soft wordy">Grid</span>
        <choice-field
          :model-value="view.grid.division"
          :options="values"
          label="Grid"
          help="The note value of the grid lines that notes snap and quantize to."
          hide-label
          width="74px"
          @update:model-value="(division) => (view.grid = { ...view.grid, division })"
        />
        <choice-field
          :model-value="view.grid.kind"
          :options="kinds"
          label="Kind of grid"
          help="Straight, triplet or dotted lines of that value."
          hide-label
          width="88px"
          @update:model-value="(kind) => (view.grid = { ...view.grid, kind })"
        />
      </span>
      <action-button id="snap" />
      <span class="group">
        <span class="soft wordy">A move reaches</span>
        <choice-field
          v-model="view.reach"
          :options="reaches"
          label="Reach"
          :help="REACH_HELP[view.reach]"
          hide-label
          width="138px"
        />
      </span>
      <span class="gap" />
      <action-button id="fit-range" label="Fit range" plain />
      <action-button id="fit" label="Whole" plain />
      <action-button id="zoom-out" icon-only />
      <action-button id="zoom-in" icon-only />
    </template>
    <timing-stage />
    <template #inspector>
      <note-panel />
      <detection-panel />
      <quantize-panel />
      <method-panel />
      <transpose-panel />
      <findings-panel />
      <notes-panel />
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
