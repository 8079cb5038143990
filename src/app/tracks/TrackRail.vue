<script setup lang="ts">
// The left rail: the tracks, in an order that can be dragged.
import { computed } from 'vue'
import { VueDraggable } from 'vue-draggable-plus'
import ActionButton from '../actions/ActionButton.vue'
import { moveTrack } from '../../core/session/edits'
import type { Track } from '../../core/session/types'
import { useSession } from '../stores/session'
import TrackRow from './TrackRow.vue'

const store = useSession()
const order = computed<Track[]>({
  get: () => [...store.session!.tracks],
  set: (tracks) => {
    const at = tracks.findIndex((t, i) => t.id !== store.session!.tracks[i]?.id)
    if (at < 0) return
    // The one that was taken is where the two orders differ first, or it came from there.
    const moved = [tracks[at]!, store.session!.tracks[at]!].find((t) => {
      const rest = (list: readonly Track[]) => list.filter((x) => x.id !== t.id).map((x) => x.id)
      return rest(tracks).join() === rest(store.session!.tracks).join()
    })
    if (moved)
      store.edit(`Move “${moved.name}”`, (s) =>
        moveTrack(
          s,
          moved.id,
          tracks.findIndex((t) => t.id === moved.id),
        ),
      )
  },
})
</script>

<template>
  <aside class="rail" aria-label="Tracks">
    <vue-draggable v-model="order" handle=".grip" :animation="0">
      <track-row v-for="(t, i) in order" :key="t.id" :track="t" :index="i" :count="order.length" />
    </vue-draggable>
    <p v-if="order.length === 0" class="soft empty">No recordings yet. Drop files here, or choose them.</p>
    <action-button id="import" class="add" />
  </aside>
</template>

<style scoped>
.rail {
  display: flex;
  flex-direction: column;
  height: 100%;
  overflow-y: auto;
  border-right: 1px solid var(--line);
  background: var(--paper);
}
.rail :deep(.add) {
  margin: 10px 12px;
}
.empty {
  padding: 16px 12px 4px;
}
</style>
