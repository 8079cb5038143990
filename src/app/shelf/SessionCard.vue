<script setup lang="ts">
// One session on the shelf.
import { computed, nextTick, ref } from 'vue'
import type { StoredSession } from '../../engine/storage/database'

const props = defineProps<{ stored: StoredSession }>()
const emit = defineEmits<{ open: []; rename: [string]; duplicate: []; remove: [] }>()
const naming = ref(false)
const name = ref('')
const field = ref<HTMLInputElement>()

const session = computed(() => props.stored.session)
const facts = computed(() => {
  const s = session.value
  const tracks = `${s.tracks.length} ${s.tracks.length === 1 ? 'track' : 'tracks'}`
  const bpm = `${Number(s.tempo[0]!.bpm.toFixed(2))} BPM`
  return `${tracks} · ${bpm} · ${s.sampleRate / 1000} kHz`
})
const when = computed(() =>
  new Date(props.stored.updated).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' }),
)

/** One filled outline a track, stacked, in a box 240 wide. */
const outlines = computed(() => {
  const rows = props.stored.picture
  const height = 84 / Math.max(1, rows.length)
  return rows.map((row, i) => {
    const mid = (i + 0.5) * height
    const at = (v: number, c: number, sign: number): string =>
      `${((c / (row.length - 1)) * 240).toFixed(1)},${(mid + sign * Math.max(0.4, v * height * 0.46)).toFixed(1)}`
    const top = row.map((v, c) => at(v, c, -1))
    const bottom = row.map((v, c) => at(v, c, 1)).reverse()
    return `M${[...top, ...bottom].join('L')}Z`
  })
})

async function startNaming(): Promise<void> {
  name.value = session.value.name
  naming.value = true
  await nextTick()
  field.value?.select()
}
function finishNaming(): void {
  if (naming.value && name.value !== session.value.name) emit('rename', name.value)
  naming.value = false
}
</script>

<template>
  <article class="card" data-test="session-card">
    <button
      type="button"
      class="picture"
      :aria-label="`Open ${session.name}`"
      title="Opens this session."
      @click="emit('open')"
    >
      <svg viewBox="0 0 240 84" preserveAspectRatio="none" aria-hidden="true">
        <path v-for="(d, i) in outlines" :key="i" :d="d" />
      </svg>
    </button>
    <div class="text">
      <input
        v-if="naming"
        ref="field"
        v-model="name"
        class="plain"
        aria-label="Session name"
        @keydown.enter="finishNaming"
        @keydown.esc="naming = false"
        @blur="finishNaming"
      />
      <h2 v-else>{{ session.name }}</h2>
      <p class="soft figures">{{ facts }}</p>
      <p class="soft">{{ when }}</p>
    </div>
    <div class="tools">
      <button type="button" class="plain small" title="Opens this session." @click="emit('open')">
        Open
      </button>
      <button type="button" class="plain small" title="Gives this session another name." @click="startNaming">
        Rename
      </button>
      <button
        type="button"
        class="plain small"
        title="Makes a second session from this one; the recordings are shared."
        @click="emit('duplicate')"
      >
        Duplicate
      </button>
      <button
        type="button"
        class="plain small"
        title="Takes this session off the shelf; can be undone."
        @click="emit('remove')"
      >
        Delete
      </button>
    </div>
  </article>
</template>

<style scoped>
.card {
  display: flex;
  flex-direction: column;
  border: 1px solid var(--line);
  border-radius: 10px;
  background: var(--paper-raised);
  overflow: hidden;
}
.picture {
  height: 104px;
  padding: 10px 14px;
  border: 0;
  border-bottom: 1px solid var(--line);
  background: var(--paper-sunk);
  cursor: pointer;
}
svg {
  width: 100%;
  height: 100%;
}
path {
  fill: var(--wave);
}
.text {
  padding: 10px 14px 4px;
  font-size: 13px;
}
h2 {
  font-size: 16px;
}
.tools {
  display: flex;
  gap: 6px;
  padding: 6px 14px 12px;
}
</style>
