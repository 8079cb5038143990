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
import { BUILT_DESKS } from '../desks/desks'
import { useInterface } from '../stores/interface'
import DemoCard from './DemoCard.vue'
import SessionCard from './SessionCard.vue'

const router = useRouter()
const media = useMedia()
const messages = useMessages()
const tasks = useTasks()
const store = useSession()
const ui = useInterface()
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
    await open(
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
    // The first time, and only where its steps can be seen.
    if (demo.file === 'slack-water' && !ui.walked) setTimeout(() => ui.walk(), 700)
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
      <section class="drop" :class="{ small: sessions.length > 0 }" aria-label="New session">
        <div>
          <h2>Drop a take here</h2>
          <p class="soft">
            WAV, AIFF, FLAC, MP3, Ogg, M4A, or a session file. It stays in this browser and is never changed.
          </p>
        </div>
        <div class="ways">
          <action-button id="import" class="main" strong label="Choose files" />
          <action-button id="open-file" />
        </div>
      </section>
      <el-skeleton v-if="!loaded" :rows="3" animated />
      <section v-if="sessions.length" aria-label="Sessions">
        <h2>On the shelf</h2>
        <div class="cards">
          <session-card
            v-for="s in sessions"
            :key="s.id"
            :stored="s"
            @open="open(s.id)"
            @rename="(name) => rename(s.id, name)"
            @duplicate="duplicate(s.id)"
            @remove="remove(s)"
          />
        </div>
      </section>
      <section aria-label="Demo sessions">
        <h2>Or try one of ours</h2>
        <div class="cards">
          <demo-card v-for="d in DEMOS" :key="d.file" :demo="d" @open="openDemo(d)" />
        </div>
      </section>
      <section v-if="loaded && sessions.length === 0" aria-label="How it goes" data-test="how">
        <h2>How it goes</h2>
        <ol class="steps">
          <li v-for="(d, i) in BUILT_DESKS" :key="d.id">
            <b class="figures">{{ i + 1 }}</b>
            <span>
              <strong>{{ d.name }}</strong>
              <span class="soft">{{ d.help }}</span>
            </span>
          </li>
          <li class="tie">
            <svg viewBox="0 0 220 70" role="img" aria-label="A late note above is tied to its place below">
              <line x1="0" x2="220" y1="14" y2="14" />
              <line x1="0" x2="220" y1="56" y2="56" />
              <path class="orange" d="M30 14 L96 14 L80 56 L30 56 Z" />
              <path class="teal" d="M96 14 L190 14 L190 56 L80 56 Z" />
              <path class="note" d="M30 4 V66 M96 4 V14 L80 56 V66 M190 4 V66" />
              <text x="128" y="10">as played</text>
              <text x="128" y="68">as placed</text>
            </svg>
          </li>
        </ol>
      </section>
    </main>
  </div>
</template>

<style scoped>
.shelf {
  height: 100%;
  overflow-y: auto;
}
header,
main {
  max-width: 1180px;
  margin: 0 auto;
  padding: 0 32px;
}
header {
  display: flex;
  align-items: baseline;
  gap: 16px;
  padding-top: 30px;
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
  padding-bottom: 40px;
}
h2 {
  margin: 20px 0 10px;
  font-size: 15px;
}
.drop {
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 14px;
  min-height: 180px;
  margin-top: 20px;
  border: 2px dashed var(--line-strong);
  border-radius: 14px;
  background: var(--paper-raised);
  text-align: center;
}
.drop.small {
  flex-flow: row wrap;
  justify-content: space-between;
  min-height: 84px;
  padding: 12px 22px;
  text-align: left;
}
.drop h2 {
  margin: 0 0 4px;
  font-size: 22px;
}
.drop.small h2 {
  font-size: 17px;
}
.ways {
  display: flex;
  align-items: center;
  gap: 10px;
}
.ways :deep(.main) {
  height: 34px;
  padding: 4px 16px;
  font-size: 14px;
}
.cards {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(290px, 1fr));
  gap: 18px;
}
.steps {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 18px;
  margin: 0;
  padding: 0;
  list-style: none;
}
.steps li {
  display: flex;
  gap: 9px;
  font-size: 13px;
}
.steps li > b {
  display: grid;
  flex: none;
  place-items: center;
  width: 24px;
  height: 24px;
  border-radius: 50%;
  background: var(--accent);
  color: var(--paper-raised);
}
.steps strong {
  display: block;
}
.tie svg {
  width: 100%;
  max-height: 76px;
}
.tie line {
  stroke: var(--line-strong);
}
.tie .note {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.5;
}
.tie .orange {
  fill: var(--stretched);
  opacity: 0.35;
}
.tie .teal {
  fill: var(--squeezed);
  opacity: 0.35;
}
.tie text {
  fill: var(--ink-soft);
  font-size: 9px;
}
@media (max-width: 900px) {
  .steps {
    grid-template-columns: repeat(2, 1fr);
  }
}
</style>
