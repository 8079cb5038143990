<script setup lang="ts">
// Every action with its key, made from the list of actions.
import 'element-plus/es/components/dialog/style/css'
import { ElDialog } from 'element-plus/es/components/dialog/index'
import { computed } from 'vue'
import { useInterface } from '../stores/interface'
import { shortcutText, useActions } from './actions'

const ui = useInterface()
const actions = useActions()
const groups = computed(() => {
  const out = new Map<string, (typeof actions.list)[number][]>()
  for (const a of actions.list) out.set(a.group, [...(out.get(a.group) ?? []), a])
  return [...out]
})
</script>

<template>
  <el-dialog
    v-model="ui.sheet"
    title="What can be done, and its keys"
    width="min(1060px, 94vw)"
    top="3vh"
    append-to-body
  >
    <div class="sheet">
      <section v-for="[group, list] in groups" :key="group">
        <h2>{{ group }}</h2>
        <dl>
          <template v-for="a in list" :key="a.id">
            <dt>
              <kbd v-if="a.shortcut" class="figures">{{ shortcutText(a.shortcut) }}</kbd>
            </dt>
            <dd><b>{{ a.label }}</b> <span class="soft">{{ a.help }}</span></dd>
          </template>
        </dl>
      </section>
      <section>
        <h2>With the pointer on the Timing desk</h2>
        <dl>
          <dt>Drag in As placed</dt>
          <dd><span class="soft">Moves a note’s sound; Shift places it freely.</span></dd>
          <dt>Drag in As played</dt>
          <dd><span class="soft">Corrects where a note was heard; nothing is stretched.</span></dd>
          <dt>Double-click</dt>
          <dd><span class="soft">Adds a transient at the nearest zero crossing.</span></dd>
          <dt>Drag elsewhere</dt>
          <dd><span class="soft">Selects a range of time.</span></dd>
          <dt>Wheel or pinch</dt>
          <dd><span class="soft">Zooms at the pointer; Shift and wheel, or sideways, scrolls.</span></dd>
        </dl>
      </section>
    </div>
  </el-dialog>
</template>

<style scoped>
.sheet {
  columns: 2;
  column-gap: 32px;
  max-height: 84vh;
  overflow-y: auto;
  font-size: 12px;
}
section {
  margin-bottom: 12px;
}
h2 {
  break-after: avoid;
  border-bottom: 1px solid var(--line);
  margin-bottom: 4px;
}
dl {
  display: grid;
  grid-template-columns: 112px 1fr;
  gap: 3px 8px;
  margin: 0;
}
dd {
  margin: 0;
}
kbd {
  padding: 0 5px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: var(--paper);
  font-size: 12px;
}
</style>
