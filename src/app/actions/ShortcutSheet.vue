<script setup lang="ts">
// Every action with its key, made from the list of actions.
import { computed } from 'vue'
import { useInterface } from '../stores/interface'
import { shortcutText, useActions } from './actions'

interface Row {
  readonly key: string
  readonly label: string
  readonly help: string
}
const ui = useInterface()
const actions = useActions()
const POINTER: readonly Row[] = [
  { key: 'Drag in As placed', label: 'Move a note', help: 'Moves its sound; Shift places it freely.' },
  {
    key: 'Drag in As played',
    label: 'Correct a transient',
    help: 'Corrects where a note was heard; nothing is stretched.',
  },
  { key: 'Double-click', label: 'Add a transient', help: 'At the nearest zero crossing.' },
  { key: 'Drag elsewhere', label: 'Select a range', help: 'Selects a range of time.' },
  { key: 'Wheel or pinch', label: 'Zoom', help: 'At the pointer; Shift and wheel, or sideways, scrolls.' },
]
const groups = computed(() => {
  const out = new Map<string, Row[]>()
  for (const a of actions.list)
    out.set(a.group, [
      ...(out.get(a.group) ?? []),
      { key: a.shortcut ? shortcutText(a.shortcut) : '', label: a.label, help: a.help },
    ])
  return [...out, ['With the pointer on the Timing desk', POINTER] as const]
})
</script>

<template>
  <el-dialog
    v-model="ui.sheet"
    title="What can be done, and its keys"
    width="min(860px, 94vw)"
    top="4vh"
    append-to-body
  >
    <div class="sheet" tabindex="0" role="region" aria-label="All actions">
      <section v-for="[group, list] in groups" :key="group">
        <h2>{{ group }}</h2>
        <el-table :data="[...list]" :show-header="false" size="small">
          <el-table-column width="150">
            <template #default="{ row }">
              <kbd v-if="row.key" class="figures">{{ row.key }}</kbd>
            </template>
          </el-table-column>
          <el-table-column prop="label" width="210" class-name="label" />
          <el-table-column prop="help" class-name="soft" />
        </el-table>
      </section>
    </div>
  </el-dialog>
</template>

<style scoped>
.sheet {
  max-height: 78vh;
  overflow-y: auto;
  outline-offset: -2px;
}
section {
  margin-bottom: 16px;
}
.sheet :deep(.label) {
  color: var(--ink);
  font-weight: 600;
}
kbd {
  padding: 0 6px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--paper);
  font-size: 12px;
}
</style>
