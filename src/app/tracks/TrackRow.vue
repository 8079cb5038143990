<script setup lang="ts">
// One track in the rail: name, method, mute, solo, link, gain, and where it was edited.
import { computed } from 'vue'
import {
  removeTrack,
  renameTrack,
  setLinkGroup,
  setMute,
  setSolo,
  setTrackGain,
} from '../../core/session/edits'
import type { Track } from '../../core/session/types'
import { METHOD_LABELS } from '../desks/timing/method-words'
import { useMedia } from '../stores/media'
import { useMessages } from '../stores/messages'
import { useSession } from '../stores/session'
import { useView } from '../stores/view'
import HeatStrip from './HeatStrip.vue'

const props = defineProps<{ track: Track }>()
const store = useSession()
const view = useView()
const media = useMedia()
const messages = useMessages()
const focused = computed(() => view.track?.id === props.track.id)
const recording = computed(() =>
  store.session?.recordings.find((r) => r.id === props.track.clips[0]?.recording),
)
const facts = computed(() => {
  const r = recording.value
  if (!r) return ''
  const channels = r.channels === 1 ? 'mono' : r.channels === 2 ? 'stereo' : `${r.channels} channels`
  return `${r.name}: ${(r.length / r.sampleRate).toFixed(1)} s, ${r.sampleRate / 1000} kHz, ${channels}, ${r.coding}`
})
const analysing = computed(() => recording.value !== undefined && media.analysing.has(recording.value.id))
const unknown = computed(
  () =>
    recording.value !== undefined &&
    media.media.has(recording.value.id) &&
    !media.findings.has(recording.value.id),
)
const LINKS = [null, 'A', 'B', 'C', 'D']

function rename(e: Event): void {
  const field = e.target as HTMLInputElement
  if (field.value.trim() === props.track.name) return
  if (!store.edit('Rename track', (s) => renameTrack(s, props.track.id, field.value)))
    field.value = props.track.name
}
function gain(e: Event): void {
  const value = Number((e.target as HTMLInputElement).value)
  store.edit('Gain', (s) => setTrackGain(s, props.track.id, value), `gain ${props.track.id}`)
}
function link(): void {
  const next = LINKS[(LINKS.indexOf(props.track.linkGroup) + 1) % LINKS.length]!
  store.edit(next ? `Link to group ${next}` : 'Unlink', (s) => setLinkGroup(s, props.track.id, next))
}
</script>

<template>
  <section
    class="row"
    :class="{ focused }"
    :aria-label="`Track ${track.name}`"
    data-test="track"
    :data-drawn="recording !== undefined && media.media.has(recording.id)"
    :data-ticks="recording !== undefined && media.transients.has(recording.id)"
    :data-analysed="recording !== undefined && media.findings.has(recording.id)"
    @pointerdown="view.focusedTrack = track.id"
  >
    <div class="line">
      <input
        class="name"
        :value="track.name"
        aria-label="Track name"
        :title="facts"
        @change="rename"
        @keydown.enter="($event.target as HTMLInputElement).blur()"
      />
      <button
        type="button"
        class="plain small bare"
        aria-label="Remove track"
        title="Takes this track out of the session; can be undone."
        @click.stop="store.edit(`Remove “${track.name}”`, (s) => removeTrack(s, track.id))"
      >
        ✕
      </button>
    </div>
    <div class="line">
      <span class="soft method" :title="'How this track is stretched; change it in the inspector.'">{{
        METHOD_LABELS[track.method.method]
      }}</span>
      <button
        type="button"
        class="plain small"
        title="Mute: this track is not heard."
        :aria-pressed="track.mute"
        @click="store.edit(track.mute ? 'Unmute' : 'Mute', (s) => setMute(s, track.id, !track.mute))"
      >
        Mute
      </button>
      <button
        type="button"
        class="plain small"
        title="Solo: only tracks with solo are heard."
        :aria-pressed="track.solo"
        @click="store.edit(track.solo ? 'No solo' : 'Solo', (s) => setSolo(s, track.id, !track.solo))"
      >
        Solo
      </button>
      <button
        type="button"
        class="plain small"
        title="Link: tracks of one group are microphones of one performance and always move together, sample for sample."
        :aria-pressed="track.linkGroup !== null"
        @click="link"
      >
        {{ track.linkGroup ? `Link ${track.linkGroup}` : 'Link' }}
      </button>
    </div>
    <div class="line">
      <input
        type="range"
        min="-30"
        max="12"
        step="0.5"
        :value="track.gain"
        aria-label="Gain"
        title="Level of this track; double-click for 0 dB."
        @input="gain"
        @dblclick="store.edit('Gain', (s) => setTrackGain(s, track.id, 0))"
      />
      <span class="figures db">{{ track.gain > 0 ? '+' : '' }}{{ track.gain.toFixed(1) }} dB</span>
    </div>
    <heat-strip :track="track" />
    <p v-if="analysing" class="soft waiting">finding transients …</p>
    <button
      v-else-if="unknown"
      type="button"
      class="plain small"
      title="Looks through the recording for transients; it was cancelled before."
      @click="messages.attempt(() => media.analyse(recording!))"
    >
      Find transients
    </button>
  </section>
</template>

<style scoped>
.row {
  padding: 9px 10px 8px 12px;
  border-bottom: 1px solid var(--line);
  border-left: 4px solid transparent;
}
.row.focused {
  border-left-color: var(--ink);
  background: var(--paper-raised);
}
.line {
  display: flex;
  align-items: center;
  gap: 4px;
  margin-bottom: 5px;
}
.name {
  flex: 1;
  min-width: 0;
  padding: 1px 4px;
  border: 1px solid transparent;
  border-radius: 4px;
  background: transparent;
  color: var(--ink);
  font: 600 13.5px var(--font);
}
.name:hover {
  border-color: var(--line);
}
.method {
  flex: 1;
  padding-left: 5px;
  font-size: 12px;
}
input[type='range'] {
  flex: 1;
  min-width: 0;
  accent-color: var(--ink-soft);
}
.db {
  width: 64px;
  font-size: 12px;
  text-align: right;
}
.waiting {
  font-size: 11.5px;
}
</style>
