<script setup lang="ts">
// Messages as notifications at the lower right; running work with its progress at the lower left.
import { X } from '@lucide/vue'
import { ElButton } from 'element-plus/es/components/button/index'
import { ElNotification, type NotificationHandle } from 'element-plus/es/components/notification/index'
import 'element-plus/es/components/button/style/css'
import 'element-plus/es/components/notification/style/css'
import { h, watch } from 'vue'
import { useMessages, type Message } from '../stores/messages'
import { useTasks } from '../stores/tasks'

const messages = useMessages()
const tasks = useTasks()
const shown = new Map<number, NotificationHandle>()

function contentOf(m: Message) {
  const undo = (): void => {
    m.undo!()
    messages.dismiss(m.id)
  }
  const close = {
    text: true,
    size: 'small',
    'aria-label': 'Close',
    onClick: () => messages.dismiss(m.id),
  } as const
  return h('div', { class: 'message' }, [
    h('span', { class: 'words' }, m.text),
    m.undo ? h(ElButton, { size: 'small', onClick: undo }, () => 'Undo') : null,
    h(ElButton, close, () => h(X, { class: 'icon', 'aria-hidden': true })),
  ])
}

watch(
  () => messages.list,
  (list) => {
    for (const [id, handle] of shown)
      if (!list.some((m) => m.id === id)) {
        handle.close()
        shown.delete(id)
      }
    for (const m of list)
      if (!shown.has(m.id))
        shown.set(
          m.id,
          ElNotification({
            message: contentOf(m),
            customClass: m.kind,
            position: 'bottom-right',
            offset: 66,
            duration: 0,
            showClose: false,
          }),
        )
  },
)
</script>

<template>
  <div class="corner" aria-live="polite">
    <div v-for="t in tasks.list" :key="t.id" class="task" data-test="task">
      <span>{{ t.label }}</span>
      <el-progress
        class="done"
        :percentage="Math.round(100 * (t.done ?? 0))"
        :indeterminate="t.done === null"
        :stroke-width="6"
        :show-text="false"
        :aria-label="t.label"
      />
      <el-button @click="t.cancel()">Cancel</el-button>
    </div>
  </div>
</template>

<style scoped>
.corner {
  position: fixed;
  left: 14px;
  bottom: 74px;
  z-index: 1500;
  display: flex;
  flex-direction: column;
  gap: 8px;
  max-width: 560px;
}
.task {
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 7px 12px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: var(--paper-raised);
  box-shadow: 0 3px 14px #0002;
}
.done {
  width: 120px;
}
</style>

<style>
.message {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 13px;
  line-height: 1.4;
}
.message .words {
  flex: 1;
}
.el-notification {
  padding-right: 10px;
}
.el-notification__group {
  flex: 1;
}
</style>
