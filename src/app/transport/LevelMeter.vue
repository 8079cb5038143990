<script setup lang="ts">
// Level of what is heard: two bars from -60 to 0 dB of full scale, and the higher figure.
import { computed } from 'vue'
import Hint from '../controls/Hint.vue'

const props = defineProps<{ levels: readonly number[] }>()
const FLOOR = -60
const bars = computed(() =>
  props.levels.map((db) => ({ transform: `scaleX(${Math.max(0, Math.min(1, 1 - db / FLOOR))})` })),
)
const top = computed(() => {
  const db = Math.max(...props.levels)
  return db <= FLOOR ? '–' : db.toFixed(1)
})
const over = computed(() => Math.max(...props.levels) > -0.05)
</script>

<template>
  <hint text="Level of the music in dB of full scale; the click is not counted.">
    <div class="meter" data-test="level" aria-label="Level" role="img">
      <div class="bars">
        <div v-for="(b, i) in bars" :key="i" class="track">
          <div class="fill" :class="{ over }" :style="b" />
        </div>
      </div>
      <span class="figures" :class="{ over }">{{ top }}</span>
    </div>
  </hint>
</template>

<style scoped>
.meter {
  display: flex;
  align-items: center;
  gap: 8px;
}
.bars {
  display: grid;
  gap: 3px;
}
.track {
  width: 120px;
  height: 6px;
  border-radius: 3px;
  background: var(--paper-sunk);
  overflow: hidden;
}
.fill {
  height: 100%;
  background: var(--ink-soft);
  transform-origin: left;
}
.fill.over {
  background: var(--danger);
}
span {
  width: 42px;
  font-size: 12px;
  text-align: right;
}
span.over {
  color: var(--danger);
}
</style>
