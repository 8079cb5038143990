<script setup lang="ts">
// The frame of an open session: top bar, rail, overview, desk, transport.
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import Overview from '../stage/Overview.vue'
import { useSession } from '../stores/session'
import { useTransport } from '../stores/transport'
import { useView } from '../stores/view'
import TrackRail from '../tracks/TrackRail.vue'
import TransportBar from '../transport/TransportBar.vue'
import TopBar from './TopBar.vue'

const props = defineProps<{ id: string }>()
const router = useRouter()
const store = useSession()
const transport = useTransport()
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
    <top-bar class="top" />
    <track-rail class="rail" />
    <div class="middle">
      <overview />
      <router-view />
    </div>
    <transport-bar class="bottom" />
  </div>
  <p v-else class="wait soft">Opening the session …</p>
</template>

<style scoped>
.frame {
  display: grid;
  height: 100%;
  grid-template: 46px minmax(0, 1fr) 58px / 216px minmax(0, 1fr);
  grid-template-areas: 'top top' 'rail middle' 'bottom bottom';
}
.top {
  grid-area: top;
}
.rail {
  grid-area: rail;
}
.middle {
  grid-area: middle;
  display: flex;
  flex-direction: column;
  min-width: 0;
  min-height: 0;
}
.bottom {
  grid-area: bottom;
}
.wait {
  display: grid;
  height: 100%;
  place-items: center;
}
</style>
