<script setup lang="ts">
// Session name, desks in the order of work, undo and redo, original or corrected, save state, help.
import { computed } from 'vue'
import ActionButton from '../actions/ActionButton.vue'
import { useActions } from '../actions/actions'
import { BUILT_DESKS } from '../desks/desks'
import { renameSession } from '../../core/session/edits'
import { useSession } from '../stores/session'
import { useTransport } from '../stores/transport'

const store = useSession()
const transport = useTransport()
const actions = useActions()
const saved = computed(() => ({ saved: 'Saved', saving: 'Saving …', failed: 'Not saved' })[store.saveState])

function rename(e: Event): void {
  const field = e.target as HTMLInputElement
  if (
    !store.edit('Rename session', (s) => (s.name === field.value.trim() ? s : renameSession(s, field.value)))
  )
    field.value = store.session!.name
}
</script>

<template>
  <header class="bar">
    <action-button id="shelf" bare>‹ Shelf</action-button>
    <input
      class="name"
      :value="store.session!.name"
      aria-label="Session name"
      title="The session’s name; type another."
      @change="rename"
      @keydown.enter="($event.target as HTMLInputElement).blur()"
    />
    <nav aria-label="Desks">
      <action-button v-for="d in BUILT_DESKS" :id="`desk-${d.id}`" :key="d.id" bare />
    </nav>
    <span class="gap" />
    <span class="history">
      <action-button id="undo" small>Undo</action-button>
      <span class="soft step" data-test="undo-label">{{ store.undoLabel ?? '' }}</span>
      <action-button id="redo" small>Redo</action-button>
    </span>
    <span class="hear" role="group" aria-label="Hear">
      <span class="soft">Hear</span>
      <button
        type="button"
        class="plain small"
        title="The recording as it was played.  [C]"
        :aria-pressed="transport.original"
        @click="transport.original || actions.run('hear')"
      >
        original
      </button>
      <button
        type="button"
        class="plain small"
        title="The result of all edits.  [C]"
        :aria-pressed="!transport.original"
        @click="transport.original && actions.run('hear')"
      >
        corrected
      </button>
    </span>
    <span class="soft saved" data-test="save-state" :data-state="store.saveState">{{ saved }}</span>
    <action-button id="theme" bare small>◐</action-button>
    <action-button id="sheet" bare small>Keys ?</action-button>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 0 12px;
  border-bottom: 1px solid var(--line);
  background: var(--paper-raised);
}
.name {
  width: 150px;
  padding: 3px 6px;
  border: 1px solid transparent;
  border-radius: 5px;
  background: transparent;
  color: var(--ink);
  font: 600 15px var(--font);
}
.name:hover {
  border-color: var(--line);
}
nav {
  display: flex;
  gap: 2px;
}
.gap {
  flex: 1;
}
.history,
.hear {
  display: flex;
  align-items: center;
  gap: 5px;
}
.hear {
  gap: 4px;
}
.step {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 12px;
}
.saved {
  width: 64px;
  font-size: 12px;
  text-align: right;
}
.saved[data-state='failed'] {
  color: var(--danger);
}
</style>
