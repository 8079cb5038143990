<script setup lang="ts">
// Grid and music are made to agree: one of them moves.
import { computed } from 'vue'
import ActionButton from '../../actions/ActionButton.vue'
import { agreement } from '../../actions/tempo-actions'
import { useTempo } from '../../stores/tempo'

const tempo = useTempo()
const { gridBy, smoothing, musicBy, tracks } = agreement
const follows = computed(() => tempo.focused?.clip.base.kind === 'beats')
</script>

<template>
  <section aria-label="Make them agree">
    <h2>Make grid and music agree</h2>
    <action-button id="grid-to-music" class="wide" />
    <div class="row">
      <select
        v-model="gridBy"
        class="plain"
        aria-label="The grid takes"
        title="How finely the session’s tempo follows the player."
      >
        <option value="beats">every beat</option>
        <option value="bars">every bar</option>
      </select>
      <label
        class="row"
        title="How far single beats give way to a line through their neighbours; the click gets calmer."
      >
        <span>smooth</span>
        <input
          v-model.number="smoothing"
          type="range"
          min="0"
          max="100"
          step="5"
          aria-label="Smoothing"
          class="narrow"
        />
        <span class="figures">{{ smoothing }}</span>
      </label>
    </div>
    <action-button id="music-to-grid" class="wide" />
    <div class="row">
      <select
        v-model="musicBy"
        class="plain"
        aria-label="The music is moved by"
        title="By beats every beat lands on the grid; by bars the feel inside each bar stays."
      >
        <option value="beats">by beats</option>
        <option value="bars">by bars</option>
      </select>
      <select
        v-model="tracks"
        class="plain"
        aria-label="Which tracks"
        title="This recording can guide all others of the same performance."
      >
        <option value="this">this track</option>
        <option value="all">all tracks, guided by this</option>
      </select>
    </div>
    <p class="row">
      <span data-test="follows">{{
        follows ? 'It follows the session’s tempo.' : 'It runs at its own speed.'
      }}</span>
      <action-button v-if="follows" id="release-clip" small label="Release" />
    </p>
  </section>
</template>

<style scoped>
select + select {
  min-width: 0;
}
.wide {
  width: 100%;
  margin: 2px 0 4px;
}
.narrow {
  width: 70px !important;
}
</style>
