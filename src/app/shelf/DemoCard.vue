<script setup lang="ts">
// A demo session: its picture, the one thing it lets one try, and a way in.
import { ChevronRight } from '@lucide/vue'
import { onMounted, ref } from 'vue'
import { demoPicture, type Demo } from './demo'
import ShelfCard from './ShelfCard.vue'

const props = defineProps<{ demo: Demo }>()
const emit = defineEmits<{ open: [] }>()
const rows = ref<readonly (readonly number[])[]>([])
// Without its picture a card is still a card.
onMounted(async () => (rows.value = await demoPicture(props.demo).catch(() => [])))
</script>

<template>
  <shelf-card :name="demo.name" :rows="rows" @open="emit('open')">
    <h3>{{ demo.name }}</h3>
    <p>{{ demo.help }}</p>
    <template #tools>
      <span class="soft figures">{{ demo.facts }}</span>
      <el-button
        class="open"
        text
        :data-test="demo.file === 'slack-water' ? 'open-demo' : `open-${demo.file}`"
        @click="emit('open')"
        >Open<span class="only-read"> {{ demo.name }}</span><chevron-right class="icon" aria-hidden="true"
      /></el-button>
    </template>
  </shelf-card>
</template>

<style scoped>
h3 {
  margin-bottom: 2px;
  font-size: 16px;
}
.figures {
  font-size: 12px;
}
.open {
  color: var(--accent);
  font-weight: 600;
}
</style>
