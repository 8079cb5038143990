<script setup lang="ts">
// Session name, desks in the order of work, undo and redo, original or corrected, save state, help.
import { Check, CircleQuestionMark, LoaderCircle, TriangleAlert } from '@lucide/vue'
import { computed } from 'vue'
import ActionButton from '../actions/ActionButton.vue'
import { shortcutText, useActions } from '../actions/actions'
import Hint from '../controls/Hint.vue'
import { Segmented } from '../controls/untyped'
import TextField from '../controls/TextField.vue'
import { BUILT_DESKS } from '../desks/desks'
import { renameSession } from '../../core/session/edits'
import { useInterface } from '../stores/interface'
import { useSession } from '../stores/session'
import { useTransport } from '../stores/transport'

const store = useSession()
const transport = useTransport()
const actions = useActions()
const ui = useInterface()
const STATES = {
  saved: { words: 'Saved', icon: Check },
  saving: { words: 'Saving …', icon: LoaderCircle },
  failed: { words: 'Not saved', icon: TriangleAlert },
}
const state = computed(() => STATES[store.saveState])
const HELP = ['sheet', 'walk', 'theme', 'fold-rail', 'fold-inspector'].map((id) => actions.get(id))
const HEAR = [
  { value: 'original', label: 'original' },
  { value: 'corrected', label: 'corrected' },
]
const hearHelp =
  'Original: the recording as it was played. Corrected: the result of all edits. Switches without a gap.'

function rename(name: string): void {
  store.edit('Rename session', (s) => renameSession(s, name))
}
</script>

<template>
  <header class="bar">
    <action-button id="shelf" bare />
    <text-field
      class="name"
      :value="store.session!.name"
      label="Session name"
      help="The session’s name; type another."
      :take="rename"
    />
    <nav aria-label="Desks" data-walk="desks">
      <action-button v-for="d in BUILT_DESKS" :id="`desk-${d.id}`" :key="d.id" bare />
    </nav>
    <span class="gap" />
    <span class="history">
      <action-button id="undo" icon-only bare />
      <span class="soft step" data-test="undo-label">{{ store.undoLabel ?? '' }}</span>
      <action-button id="redo" icon-only bare />
    </span>
    <span class="hear" data-walk="hear">
      <span class="soft">Hear</span>
      <hint :text="hearHelp" :keys="shortcutText('KeyC')">
        <segmented
          :model-value="transport.original ? 'original' : 'corrected'"
          :options="HEAR"
          aria-label="Hear"
          @change="actions.run('hear')"
        />
      </hint>
    </span>
    <span class="soft saved" role="status" data-test="save-state" :data-state="store.saveState">
      <component :is="state.icon" class="icon" aria-hidden="true" />{{ state.words }}
    </span>
    <el-dropdown trigger="click" @command="(id: string) => actions.run(id)">
      <el-button text aria-label="Help and view" data-walk="help"
        ><circle-question-mark class="icon" aria-hidden="true"
      /></el-button>
      <template #dropdown>
        <el-dropdown-menu>
          <el-dropdown-item v-for="a in HELP" :key="a.id" :command="a.id" :data-action="a.id"
            >{{ a.label
            }}<kbd v-if="a.shortcut" class="figures soft">{{
              shortcutText(a.shortcut)
            }}</kbd></el-dropdown-item
          >
        </el-dropdown-menu>
      </template>
    </el-dropdown>
    <span class="only-read" aria-live="polite">{{ ui.dark ? 'Dark theme' : 'Light theme' }}</span>
  </header>
</template>

<style scoped>
.bar {
  display: flex;
  flex: none;
  align-items: center;
  gap: 8px;
  height: 46px;
  padding: 0 10px;
  border-bottom: 1px solid var(--line);
  background: var(--paper-raised);
}
.name {
  flex: 0 1 170px;
}
.name :deep(input) {
  font-size: 15px;
  font-weight: 600;
}
nav {
  display: flex;
  gap: 2px;
}
.gap {
  flex: 1;
}
.history,
.hear,
.saved {
  display: flex;
  align-items: center;
  gap: 5px;
}
.step {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  font-size: 12px;
}
.saved {
  min-width: 72px;
  font-size: 12px;
}
.saved[data-state='failed'] {
  color: var(--danger);
}
kbd {
  margin-left: auto;
  padding-left: 22px;
}
@media (max-width: 1080px) {
  .step,
  .hear > .soft {
    display: none;
  }
}
@media (max-width: 960px) {
  .saved {
    min-width: 0;
    font-size: 0;
  }
  .name {
    flex-basis: 90px;
  }
}
</style>
