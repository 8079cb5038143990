<script setup lang="ts">
// Grid and music are made to agree: one of them moves.
import { computed } from 'vue'
import ActionButton from '../../actions/ActionButton.vue'
import { agreement } from '../../actions/tempo-actions'
import ChoiceField from '../../controls/ChoiceField.vue'
import Panel from '../../controls/Panel.vue'
import SliderField from '../../controls/SliderField.vue'
import { useTempo } from '../../stores/tempo'

const tempo = useTempo()
const { gridBy, smoothing, musicBy, tracks } = agreement
const GRID_BY = [
  { value: 'beats', label: 'every beat' },
  { value: 'bars', label: 'every bar' },
] as const
const MUSIC_BY = [
  { value: 'beats', label: 'by beats' },
  { value: 'bars', label: 'by bars' },
] as const
const TRACKS = [
  { value: 'this', label: 'this track' },
  { value: 'all', label: 'all tracks, guided by this' },
] as const
const follows = computed(() => tempo.focused?.clip.base.kind === 'beats')
</script>

<template>
  <panel name="agree" title="Make grid and music agree" :note="follows ? 'it follows' : ''">
    <div class="card">
      <action-button id="grid-to-music" class="wide" />
      <choice-field
        v-model="gridBy"
        :options="GRID_BY"
        label="The grid takes"
        help="How finely the session’s tempo follows the player."
        open
      />
      <slider-field
        v-model="smoothing"
        label="Smoothing"
        :step="5"
        help="How far single beats give way to a line through their neighbours; the click gets calmer."
      />
    </div>
    <div class="card">
      <action-button id="music-to-grid" class="wide" />
      <choice-field
        v-model="musicBy"
        :options="MUSIC_BY"
        label="It is moved"
        help="By beats every beat lands on the grid; by bars the feel inside each bar stays."
        open
      />
      <choice-field
        v-model="tracks"
        :options="TRACKS"
        label="Which tracks"
        help="This recording can guide all others of the same performance."
        width="158px"
      />
    </div>
    <p class="row">
      <span data-test="follows">{{
        follows ? 'It follows the session’s tempo.' : 'It runs at its own speed.'
      }}</span>
      <action-button v-if="follows" id="release-clip" label="Release" />
    </p>
  </panel>
</template>

<style scoped>
.card {
  margin-bottom: 8px;
}
.card :deep(.wide) {
  width: 100%;
  margin-bottom: 4px;
}
</style>
