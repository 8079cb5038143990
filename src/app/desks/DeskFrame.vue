<script setup lang="ts">
// What desks share: a heading, tools above the stage, the inspector beside it with sections that fold.
import { useLocalStorage } from '@vueuse/core'
import { array, string } from 'yup'
import SplitFrame from '../frame/SplitFrame.vue'
import { useInterface } from '../stores/interface'

const props = defineProps<{
  /** Key under which is kept what is unfolded. */
  name: string
  title: string
  /** Sections that are unfolded at first. */
  unfolded: readonly string[]
}>()
const ui = useInterface()
const kept = array(string().required()).required()
const sections = useLocalStorage<string[]>(`unwarp.sections.${props.name}`, [...props.unfolded], {
  serializer: {
    read: (text) => {
      try {
        return kept.validateSync(JSON.parse(text))
      } catch {
        return [...props.unfolded]
      }
    },
    write: (v) => JSON.stringify(v),
  },
})
</script>

<template>
  <split-frame panel="inspector" :folded="ui.inspectorFolded">
    <main class="desk">
      <h1 class="only-read">{{ title }}</h1>
      <div class="tools"><slot name="tools" /></div>
      <slot />
    </main>
    <template #panel>
      <aside class="inspector" aria-label="Inspector">
        <el-collapse v-model="sections"><slot name="inspector" /></el-collapse>
      </aside>
    </template>
  </split-frame>
</template>

<style scoped>
.desk {
  display: flex;
  flex: 1;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
}
.tools {
  display: flex;
  flex: none;
  align-items: center;
  gap: 8px;
  min-height: 38px;
  padding: 4px 10px;
  border-bottom: 1px solid var(--line);
  font-size: 13px;
  white-space: nowrap;
}
.tools :slotted(.gap) {
  flex: 1;
}
.tools :slotted(.group) {
  display: flex;
  align-items: center;
  gap: 5px;
}
@media (max-width: 1230px) {
  .tools {
    flex-wrap: wrap;
    gap: 6px;
  }
}
</style>
