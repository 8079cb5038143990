<script setup lang="ts">
// One track in the rail: name, method, mute, solo, link, gain, pan, and where it was edited.
import { EllipsisVertical, GripVertical, Headphones, Link as LinkIcon, VolumeOff } from '@lucide/vue'
import { computed } from 'vue'
import Say from '../controls/Say.vue'
import SliderField from '../controls/SliderField.vue'
import TextField from '../controls/TextField.vue'
import {
  duplicateTrack,
  moveTrack,
  removeTrack,
  renameTrack,
  setLinkGroup,
  setMethod,
  setMute,
  setSolo,
  setTrackGain,
  setTrackPan,
} from '../../core/session/edits'
import type { Track } from '../../core/session/types'
import { METHOD_NAMES, type MethodName } from '../../core/stretch/types'
import { METHOD_HELP, METHOD_LABELS } from '../desks/timing/method-words'
import { useMedia } from '../stores/media'
import { useMessages } from '../stores/messages'
import { useSession } from '../stores/session'
import { useView } from '../stores/view'
import HeatStrip from './HeatStrip.vue'

const props = defineProps<{ track: Track; index: number; count: number }>()
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
  if (!r) return props.track.name
  const channels = r.channels === 1 ? 'mono' : r.channels === 2 ? 'stereo' : `${r.channels} channels`
  return `${props.track.name} (${r.name}: ${(r.length / r.sampleRate).toFixed(1)} s, ${r.sampleRate / 1000} kHz, ${channels}, ${r.coding}). Type another name.`
})
const analysing = computed(() => recording.value !== undefined && media.analysing.has(recording.value.id))
const unknown = computed(
  () =>
    recording.value !== undefined &&
    media.media.has(recording.value.id) &&
    !media.findings.has(recording.value.id),
)
const GROUPS = ['A', 'B', 'C', 'D']
/** Which other tracks share a group, in words. */
const sharing = (group: string): string => {
  const names = store.session!.tracks.filter((t) => t.linkGroup === group && t.id !== props.track.id)
  return names.length ? `with ${names.map((t) => t.name).join(', ')}` : 'no other track yet'
}
const linked = computed(() => (props.track.linkGroup ? `Link ${props.track.linkGroup}` : 'Link'))

const rename = (name: string): void => {
  store.edit('Rename track', (s) => renameTrack(s, props.track.id, name))
}
function setGain(value: number): void {
  store.edit('Gain', (s) => setTrackGain(s, props.track.id, value), `gain ${props.track.id}`)
}
function setPan(value: number): void {
  store.edit('Pan', (s) => setTrackPan(s, props.track.id, value / 100), `pan ${props.track.id}`)
}
function link(group: string): void {
  const next = group === 'none' ? null : group
  if (next !== props.track.linkGroup)
    store.edit(next ? `Link to group ${next}` : 'Unlink', (s) => setLinkGroup(s, props.track.id, next))
}
function pick(method: MethodName): void {
  store.edit(`Method ${METHOD_LABELS[method]}`, (s) => setMethod(s, props.track.id, { method }))
}
function command(what: string): void {
  const { id, name } = props.track
  if (what === 'up' || what === 'down')
    store.edit(`Move “${name}”`, (s) => moveTrack(s, id, props.index + (what === 'up' ? -1 : 1)))
  else if (what === 'duplicate')
    store.edit(`Duplicate “${name}”`, (s) => duplicateTrack(s, id, crypto.randomUUID().slice(0, 8)))
  else if (what === 'remove') store.edit(`Remove “${name}”`, (s) => removeTrack(s, id))
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
    @focusin="view.focusedTrack = track.id"
  >
    <div class="line">
      <grip-vertical class="icon grip" aria-hidden="true" />
      <text-field class="name" :value="track.name" label="Track name" :help="facts" :take="rename" />
      <el-dropdown trigger="click" @command="command">
        <el-button text :aria-label="`More for ${track.name}`"
          ><ellipsis-vertical class="icon" aria-hidden="true"
        /></el-button>
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item command="up" :disabled="index === 0">Move up</el-dropdown-item>
            <el-dropdown-item command="down" :disabled="index === count - 1">Move down</el-dropdown-item>
            <el-dropdown-item command="duplicate">Duplicate track</el-dropdown-item>
            <el-dropdown-item command="remove" divided>Remove track</el-dropdown-item>
          </el-dropdown-menu>
        </template>
      </el-dropdown>
    </div>
    <div class="line">
      <el-dropdown class="method" trigger="click" @command="pick">
        <el-button
          text
          :aria-label="`Stretch method of ${track.name}: ${METHOD_LABELS[track.method.method]}`"
          >{{ METHOD_LABELS[track.method.method] }}</el-button
        >
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item v-for="m in METHOD_NAMES" :key="m" :command="m"
              ><b class="word">{{ METHOD_LABELS[m] }}</b
              ><span class="soft">{{ METHOD_HELP[m] }}</span></el-dropdown-item
            >
          </el-dropdown-menu>
        </template>
      </el-dropdown>
      <say
        help="Mute: this track is not heard."
        name="Mute"
        :icon="VolumeOff"
        :on="track.mute"
        @click="store.edit(track.mute ? 'Unmute' : 'Mute', (s) => setMute(s, track.id, !track.mute))"
      />
      <say
        help="Solo: only tracks with solo are heard."
        name="Solo"
        :icon="Headphones"
        :on="track.solo"
        @click="store.edit(track.solo ? 'No solo' : 'Solo', (s) => setSolo(s, track.id, !track.solo))"
      />
      <el-dropdown trigger="click" @command="link">
        <el-button
          :type="track.linkGroup ? 'primary' : ''"
          :aria-pressed="track.linkGroup !== null"
          data-test="link"
          ><link-icon class="icon" aria-hidden="true" /><span>{{ linked }}</span></el-button
        >
        <template #dropdown>
          <el-dropdown-menu>
            <el-dropdown-item disabled
              >Microphones of one performance share a group and always move together.</el-dropdown-item
            >
            <el-dropdown-item v-for="g in GROUPS" :key="g" :command="g"
              ><b class="word">Group {{ g }}</b><span class="soft">{{ sharing(g) }}</span></el-dropdown-item
            >
            <el-dropdown-item command="none" divided>Not linked</el-dropdown-item>
          </el-dropdown-menu>
        </template>
      </el-dropdown>
    </div>
    <slider-field
      class="level"
      :model-value="track.gain"
      :min="-60"
      :max="12"
      :step="0.5"
      :digits="1"
      unit="dB"
      label="Gain"
      help="Level of this track, dB; type 0 for as recorded."
      hide-label
      @update:model-value="setGain"
    />
    <slider-field
      class="level"
      :model-value="Math.round(100 * track.pan)"
      :min="-100"
      :max="100"
      mark="pan"
      label="Pan"
      help="Where this track is heard: -100 is left, 0 the middle, 100 right."
      hide-label
      @update:model-value="setPan"
    />
    <heat-strip :track="track" />
    <p v-if="analysing" class="soft waiting" role="status">finding transients …</p>
    <say
      v-else-if="unknown"
      help="Looks through the recording for transients; it was cancelled before."
      @click="messages.attempt(() => media.analyse(recording!))"
      >Find transients</say
    >
  </section>
</template>

<style scoped>
.row {
  padding: 6px 8px 8px 6px;
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
  margin-bottom: 2px;
}
.grip {
  width: 13px;
  color: var(--ink-faint);
  cursor: grab;
}
.name {
  flex: 1;
}
.name :deep(input) {
  font-size: 13.5px;
  font-weight: 600;
  text-overflow: ellipsis;
}
.name :deep(.el-input__wrapper) {
  padding: 1px 4px;
}
.line :deep(.el-button) {
  padding-inline: 6px;
}
.method {
  flex: 1;
}
.method :deep(.el-button) {
  padding: 4px 6px 4px 21px;
  color: var(--ink-soft);
}
.word {
  min-width: 66px;
}
.level {
  padding-left: 14px;
}
.waiting {
  font-size: 11.5px;
}
</style>
