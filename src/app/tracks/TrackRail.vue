<script setup lang="ts">
// The left rail: the tracks.
import ActionButton from '../actions/ActionButton.vue'
import { useSession } from '../stores/session'
import TrackRow from './TrackRow.vue'

const store = useSession()
</script>

<template>
  <aside class="rail" aria-label="Tracks">
    <track-row v-for="t in store.session!.tracks" :key="t.id" :track="t" />
    <p v-if="store.session!.tracks.length === 0" class="soft empty">
      No recordings yet. Drop files here, or choose them.
    </p>
    <action-button id="import" class="add" small />
  </aside>
</template>

<style scoped>
.rail {
  display: flex;
  flex-direction: column;
  overflow-y: auto;
  border-right: 1px solid var(--line);
  background: var(--paper);
}
.add {
  margin: 10px 12px;
}
.empty {
  padding: 16px 12px 4px;
}
</style>
