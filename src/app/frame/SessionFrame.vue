<script setup lang="ts">
// The frame of an open session: top bar, rail, overview, desk, transport.
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import Overview from '../stage/Overview.vue'
import { useInterface } from '../stores/interface'
import { useSession } from '../stores/session'
import { useTransport } from '../stores/transport'
import { useView } from '../stores/view'
import TrackRail from '../tracks/TrackRail.vue'
import TransportBar from '../transport/TransportBar.vue'
import SplitFrame from './SplitFrame.vue'
import TopBar from './TopBar.vue'

const props = defineProps<{ id: string }>()
const router = useRouter()
const store = useSession()
const transport = useTransport()
const ui = useInterface()
const view = useView()
const ready = ref(false)

async function open(): Promise<void> {
  ready.value = false
  if (store.session?.id === props.id || (await store.open(props.id))) {
    view.range = null
    view.selected = null
    view.draft = null
    transport.reset()
    ready.value = true
    requestAnimationFrame(() => view.fit())
  } else void router.replace('/')
}
onMounted(open)
watch(() => props.id, open)
// The first recordings of an empty session, and any that make it longer, come into view.
watch(
  () => store.session?.tracks.length,
  (now, before) => now && !before && requestAnimationFrame(() => view.fit()),
)
onBeforeUnmount(() => transport.stop())
</script>

<template>
  <div v-if="store.session && ready" class="frame">
    <top-bar />
    <split-frame panel="rail" :folded="ui.railFolded">
      <template #panel><track-rail /></template>
      <overview />
      <router-view />
    </split-frame>
    <transport-bar />
  </div>
  <div v-else class="wait">
    <p class="soft" role="status">Opening the session …</p>
    <el-skeleton :rows="6" animated />
  </div>
</template>

<style scoped>
.frame {
  display: flex;
  flex-direction: column;
  height: 100%;
}
.wait {
  max-width: 900px;
  margin: 12vh auto;
  padding: 0 30px;
}
.wait p {
  margin-bottom: 16px;
}
</style>
