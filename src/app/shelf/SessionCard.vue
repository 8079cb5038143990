<script setup lang="ts">
// One kept session on the shelf.
import { EllipsisVertical } from '@lucide/vue'
import { computed } from 'vue'
import { ElMessageBox } from 'element-plus/es/components/message-box/index'
import { mapOf } from '../../core/render/plan'
import { findClip } from '../../core/session/find'
import type { StoredSession } from '../../engine/storage/database'
import { beatOf, tempoWith } from '../stage/beat-words'
import ShelfCard from './ShelfCard.vue'

const props = defineProps<{ stored: StoredSession }>()
const emit = defineEmits<{ open: []; rename: [string]; duplicate: []; remove: [] }>()

const session = computed(() => props.stored.session)
/** From the first sound to the last, minutes:seconds. */
const length = computed(() => {
  const s = session.value
  const maps = s.tracks.flatMap((t) => t.clips.map((c) => mapOf(s, c, findClip(s, c.id)!.recording)))
  if (maps.length === 0) return 'empty'
  const from = Math.min(0, ...maps.map((m) => m[0]!.target))
  const seconds = Math.round((Math.max(...maps.map((m) => m.at(-1)!.target)) - from) / s.sampleRate)
  return `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, '0')}`
})
const facts = computed(() => {
  const s = session.value
  const tracks = `${s.tracks.length} ${s.tracks.length === 1 ? 'track' : 'tracks'}`
  const meter = s.meter[0]!
  const tempo = tempoWith(meter, s.tempo[0]!.bpm / beatOf(meter).quarters, 2)
  return `${tracks} · ${s.tempo.length > 1 ? 'from ' : ''}${tempo} · ${length.value}`
})
const when = computed(() =>
  new Date(props.stored.updated).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' }),
)

async function command(what: string): Promise<void> {
  if (what === 'open') emit('open')
  else if (what === 'duplicate') emit('duplicate')
  else if (what === 'remove') emit('remove')
  else {
    const said = await ElMessageBox.prompt('', 'Name of the session', {
      inputValue: session.value.name,
      inputPattern: /\S/,
      inputErrorMessage: 'A session needs a name; type one.',
      confirmButtonText: 'Rename',
      cancelButtonText: 'Leave it',
    }).catch(() => null)
    if (said && said.value.trim() !== session.value.name) emit('rename', said.value)
  }
}
</script>

<template>
  <shelf-card :name="session.name" :rows="stored.picture" data-test="session-card" @open="emit('open')">
    <h3>{{ session.name }}</h3>
    <p class="soft figures">{{ facts }}</p>
    <p class="soft">{{ when }}</p>
    <template #tools>
      <el-button @click="emit('open')">Open</el-button>
      <el-dropdown trigger="click" @command="command">
        <el-button text :aria-label="`More for ${session.name}`"
          ><ellipsis-vertical class="icon" aria-hidden="true"
        /></el-button>
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item command="open">Open</el-dropdown-item>
            <el-dropdown-item command="rename">Rename</el-dropdown-item>
            <el-dropdown-item command="duplicate">Duplicate</el-dropdown-item>
            <el-dropdown-item command="remove" divided>Delete</el-dropdown-item>
          </el-dropdown-menu>
        </template>
      </el-dropdown>
    </template>
  </shelf-card>
</template>

<style scoped>
h3 {
  font-size: 16px;
}
</style>
