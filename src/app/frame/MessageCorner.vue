<script setup lang="ts">
// Messages and running work, in the lower left corner above the transport.
import { useMessages } from '../stores/messages'
import { useTasks } from '../stores/tasks'

const messages = useMessages()
const tasks = useTasks()
function takeBack(id: number, undo: () => void): void {
  undo()
  messages.dismiss(id)
}
</script>

<template>
  <div class="corner" aria-live="polite">
    <div v-for="t in tasks.list" :key="`t${t.id}`" class="note" data-test="task">
      <span>{{ t.label }}</span>
      <progress :value="t.done ?? undefined" max="1" />
      <button type="button" class="plain small" @click="t.cancel()">Cancel</button>
    </div>
    <div
      v-for="m in messages.list"
      :key="m.id"
      class="note"
      :class="m.kind"
      :role="m.kind === 'error' ? 'alert' : 'status'"
    >
      <span>{{ m.text }}</span>
      <button v-if="m.undo" type="button" class="plain small" @click="takeBack(m.id, m.undo)">Undo</button>
      <button
        type="button"
        class="plain small bare"
        aria-label="Close"
        title="Closes this message."
        @click="messages.dismiss(m.id)"
      >
        ✕
      </button>
    </div>
  </div>
</template>

<style scoped>
.corner {
  position: fixed;
  left: 14px;
  bottom: 74px;
  z-index: 2500;
  display: flex;
  flex-direction: column;
  gap: 8px;
  max-width: 520px;
}
.note {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 8px 12px;
  border: 1px solid var(--line);
  border-left: 4px solid var(--ink-soft);
  border-radius: 8px;
  background: var(--paper-raised);
  box-shadow: 0 3px 14px #0002;
}
.note.error {
  border-left-color: var(--danger);
}
progress {
  width: 120px;
  accent-color: var(--accent);
}
</style>
