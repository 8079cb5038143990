<script setup lang="ts">
// A section of the inspector: folds, and says the most important thing beside its title.
defineProps<{ name: string; title: string; note?: string | undefined }>()
</script>

<template>
  <el-collapse-item :name="name" class="panel">
    <template #title>
      <span class="title">{{ title }}</span>
      <span v-if="note" class="soft note">{{ note }}</span>
    </template>
    <section :aria-label="title"><slot /></section>
  </el-collapse-item>
</template>
