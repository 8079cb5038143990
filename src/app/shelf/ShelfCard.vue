<script setup lang="ts">
// A card on the shelf: a picture of waveforms, a name, a line or two, what can be done.
import { computed } from 'vue'
import { HEIGHT, outlines, WIDTH } from './outline'

const props = defineProps<{ name: string; rows: readonly (readonly number[])[] }>()
const emit = defineEmits<{ open: [] }>()
const paths = computed(() => outlines(props.rows))
</script>

<template>
  <el-card class="card" shadow="hover" :body-style="{ padding: '0' }">
    <el-button class="picture" text :aria-label="`Open ${name}`" @click="emit('open')">
      <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" preserveAspectRatio="none" aria-hidden="true">
        <path v-for="(d, i) in paths" :key="i" :d="d" />
      </svg>
    </el-button>
    <div class="text"><slot /></div>
    <div class="tools"><slot name="tools" /></div>
  </el-card>
</template>

<style scoped>
.card {
  --el-card-border-radius: 10px;
  display: flex;
  flex-direction: column;
}
.card :deep(.el-card__body) {
  display: flex;
  flex: 1;
  flex-direction: column;
}
.picture {
  display: block;
  width: 100%;
  height: 108px;
  padding: 10px 14px;
  border: 0;
  border-bottom: 1px solid var(--line);
  border-radius: 0;
  background: var(--paper-sunk) !important;
}
.picture :deep(> span) {
  display: block;
  width: 100%;
  height: 100%;
}
svg {
  width: 100%;
  height: 100%;
}
path {
  fill: var(--wave);
}
path + path {
  fill: var(--wave-faint);
}
.text {
  flex: 1;
  padding: 11px 16px 4px;
  font-size: 13px;
}
.tools {
  display: flex;
  align-items: center;
  justify-content: space-between;
  gap: 6px;
  padding: 6px 12px 12px 16px;
}
</style>
