<script setup lang="ts">
// What desks share: tools above the stage, the inspector beside it.
</script>

<template>
  <div class="desk">
    <div class="work">
      <div class="tools"><slot name="tools" /></div>
      <slot />
    </div>
    <aside class="inspector" aria-label="Inspector"><slot name="inspector" /></aside>
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
  gap: 10px;
  height: 38px;
  padding: 0 10px;
  border-bottom: 1px solid var(--line);
  font-size: 13px;
  white-space: nowrap;
}
.tools :slotted(label) {
  display: flex;
  align-items: center;
  gap: 5px;
}
.tools :slotted(.gap) {
  flex: 1;
}
@media (max-width: 1230px) {
  .tools {
    gap: 6px;
  }
}
</style>
