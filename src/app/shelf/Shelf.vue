<script setup lang="ts">
// The start page: sessions with pictures of their waveforms, new ones from files, the demo.
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import ActionButton from '../actions/ActionButton.vue'
import type { StoredSession } from '../../engine/storage/database'
import { library } from '../stores/services'
import { useMedia } from '../stores/media'
import { useMessages } from '../stores/messages'
import { useSession } from '../stores/session'
import { useTasks } from '../stores/tasks'
import { DEMOS, fetchDemo, type Demo } from './demo'
import SessionCard from './SessionCard.vue'

const router = useRouter()
const media = useMedia()
const messages = useMessages()
const tasks = useTasks()
const store = useSession()
const sessions = ref<readonly StoredSession[]>([])
const loaded = ref(false)

async function refresh(): Promise<void> {
  sessions.value = await (await library).sessions()
  loaded.value = true
}
onMounted(() => {
  store.close()
  void messages.attempt(async () => {
    await refresh()
    await (await library).tidy()
  })
})

const open = (id: string, desk = 'timing'): unknown => router.push(`/session/${id}/${desk}`)
const change = (work: () => Promise<void>): void => void messages.attempt(() => work().then(refresh))

const rename = (id: string, name: string): void => change(async () => (await library).rename(id, name))
const duplicate = (id: string): void =>
  change(async () => (await library).duplicate(id, crypto.randomUUID().slice(0, 8)))
function remove(s: StoredSession): void {
  change(async () => {
    await (await library).remove(s.id)
    messages.say(`“${s.session.name}” was deleted.`, 'info', () =>
      change(async () => (await library).restore(s.id)),
    )
  })
}

function openDemo(demo: Demo): void {
  void messages.attempt(async () => {
    const id = crypto.randomUUID().slice(0, 8)
    open(
      id,
      await tasks.run('Opening the demo session', (progress, signal) =>
        fetchDemo(
          demo,
          id,
          progress,
          signal,
          (recording, imported) => void messages.attempt(() => media.bring(recording, imported, false)),
        ),
      ),
    )
  })
}
</script>

<template>
  <div class="shelf">
    <header>
      <h1>Unwarp</h1>
      <p class="soft">Put a performance where it was meant to be, and hear nothing else change.</p>
      <span class="gap" />
      <action-button id="theme" bare />
      <action-button id="sheet" bare />
    </header>
    <main>
      <section class="start">
        <action-button id="import" strong label="New session from recordings" />
        <action-button id="open-file" />
        <button
          v-for="d in DEMOS"
          :key="d.file"
          type="button"
          class="plain"
          :data-test="d.file === 'slack-water' ? 'open-demo' : `open-${d.file}`"
          :title="d.help"
          @click="openDemo(d)"
        >
          {{ d.label }}
        </button>
        <p class="soft">
          Or drop WAV, AIFF, FLAC, MP3, Ogg, M4A or session files anywhere. Recordings stay in this browser
          and are never changed.
        </p>
      </section>
      <section class="cards" aria-label="Sessions">
        <session-card
          v-for="s in sessions"
          :key="s.id"
          :stored="s"
          @open="open(s.id)"
          @rename="(name) => rename(s.id, name)"
          @duplicate="duplicate(s.id)"
          @remove="remove(s)"
        />
        <p v-if="loaded && sessions.length === 0" class="empty soft">
          Nothing on the shelf yet. Bring in a take, or open the demo to see what can be done.
        </p>
      </section>
    </main>
  </div>
</template>

<style scoped>
.shelf {
  height: 100%;
  overflow-y: auto;
}
header {
  display: flex;
  align-items: baseline;
  gap: 16px;
  max-width: 1180px;
  margin: 0 auto;
  padding: 34px 32px 10px;
}
h1 {
  font-size: 30px;
  font-weight: 600;
  letter-spacing: -0.01em;
}
.gap {
  flex: 1;
}
main {
  max-width: 1180px;
  margin: 0 auto;
  padding: 10px 32px 60px;
}
.start {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 12px;
  padding: 14px 0 22px;
}
.start p {
  flex-basis: 100%;
}
.cards {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(320px, 1fr));
  gap: 18px;
}
.empty {
  grid-column: 1 / -1;
  padding: 40px 0;
}
</style>
