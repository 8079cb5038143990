<script setup lang="ts">
// The Render desk: what, which depth; progress with cancel; results to download.
import { computed, onBeforeUnmount, ref, shallowRef } from 'vue'
import { formatLength, formatSeconds } from '../../../core/music/position'
import { secondsToBeat } from '../../../core/music/tempo-map'
import type { WavDepth } from '../../../core/audio/wav-write'
import { toDb } from '../../../core/render/levels'
import { InputError } from '../../../core/errors'
import { exportWav } from '../../../engine/export'
import { Download } from '@lucide/vue'
import ChoiceField from '../../controls/ChoiceField.vue'
import Hint from '../../controls/Hint.vue'
import Say from '../../controls/Say.vue'
import { download } from '../../frame/download'
import ActionButton from '../../actions/ActionButton.vue'
import { useMedia } from '../../stores/media'
import { useMessages } from '../../stores/messages'
import { renderer } from '../../stores/services'
import { useSession } from '../../stores/session'
import { useTransport } from '../../stores/transport'
import { useView } from '../../stores/view'

const store = useSession()
const transport = useTransport()
const view = useView()
const media = useMedia()
const messages = useMessages()

const what = ref<'mix' | 'track'>('mix')
const trackId = ref(view.track?.id ?? '')
const span = ref<'whole' | 'range'>('whole')
const depth = ref<WavDepth>('24')
const running = shallowRef<AbortController | null>(null)
const done = ref(0)

interface Result {
  readonly name: string
  readonly file: Blob
  readonly length: string
  readonly time: string
  readonly peak: string
  readonly depth: string
  readonly checksum: string
}
const results = shallowRef<readonly Result[]>([])
const DEPTHS: [WavDepth, string, string][] = [
  ['16', '16-bit', 'With TPDF dither; samples that 16 bits hold exactly stay as they are.'],
  ['24', '24-bit', 'For handing on; quieter than any room.'],
  ['32f', '32-bit float', 'Exactly the samples you hear, never clipped.'],
]
const tracks = computed(() => store.session!.tracks.map((t) => ({ value: t.id, label: t.name })))
const waiting = computed(() => store.session!.recordings.filter((r) => !media.findings.has(r.id)))

/** A length as bars, beats and ticks. */
function inBars(frames: number): string {
  const s = store.session!
  return formatLength(s.meter, secondsToBeat(s.tempo, frames / s.sampleRate))
}

async function render(): Promise<void> {
  const s = store.session!
  const abort = new AbortController()
  running.value = abort
  done.value = 0
  await messages.attempt(async () => {
    if (waiting.value.length)
      throw new InputError('The recordings are still being looked through; render when that is done.')
    const plan = transport.planFor({
      quality: 'fine',
      ...(what.value === 'track' ? { tracks: [trackId.value] } : {}),
    })
    const r = view.rangeSeconds
    const range =
      span.value === 'range' && r
        ? { from: Math.round(r.from * s.sampleRate), to: Math.round(r.to * s.sampleRate) }
        : { from: plan.start, to: plan.end }
    if (range.to <= range.from)
      throw new InputError('There is nothing to render; add a recording or select a longer range.')
    const out = await exportWav(plan, renderer, range, depth.value, (p) => (done.value = p), abort.signal)
    const track = s.tracks.find((t) => t.id === trackId.value)
    const name = `${s.name}${what.value === 'track' ? ` ${track?.name ?? ''}` : ''}${span.value === 'range' ? ' range' : ''}.wav`
    const result: Result = {
      name,
      file: out.file,
      length: inBars(out.frames),
      time: formatSeconds(out.frames / s.sampleRate),
      peak: out.peak > 0 ? `${toDb(out.peak).toFixed(2)} dB` : 'silent',
      depth: DEPTHS.find((d) => d[0] === depth.value)![1],
      checksum: out.checksum,
    }
    results.value = [result, ...results.value]
    if (out.peak > 1 && depth.value !== '32f')
      messages.say(
        `“${name}” goes ${toDb(out.peak).toFixed(1)} dB over full scale and was clipped; lower the gain or choose 32-bit float.`,
      )
  })
  running.value = null
}

onBeforeUnmount(() => running.value?.abort())
</script>

<template>
  <main class="desk">
    <el-form class="form" label-position="top" aria-label="What to render" @submit.prevent>
      <h1>Render</h1>
      <el-form-item label="What">
        <el-radio-group v-model="what" class="stack" aria-label="What">
          <hint text="All tracks that are heard, with their gains, as you hear them."
            ><el-radio value="mix">The mix of what is heard</el-radio></hint
          >
          <span class="beside">
            <hint text="One track alone, with its gain."><el-radio value="track">One track</el-radio></hint>
            <choice-field
              v-model="trackId"
              :options="tracks"
              label="Track to render"
              help="Which track is rendered alone."
              hide-label
              width="190px"
              @update:model-value="what = 'track'"
            />
          </span>
        </el-radio-group>
      </el-form-item>
      <el-form-item label="How much">
        <el-radio-group v-model="span" class="stack" aria-label="How much">
          <hint text="From the first sound to the last."
            ><el-radio value="whole"
              >Everything, {{ formatSeconds(view.extent.to - view.extent.from) }}</el-radio
            ></hint
          >
          <hint text="The range selected on the Timing desk."
            ><el-radio value="range" :disabled="!view.rangeSeconds"
              >The selected range<template v-if="view.rangeSeconds"
                >, {{ formatSeconds(view.rangeSeconds.to - view.rangeSeconds.from) }}</template
              ><span v-else> (none selected)</span></el-radio
            ></hint
          >
        </el-radio-group>
      </el-form-item>
      <el-form-item :label="`WAV, ${store.session!.sampleRate / 1000} kHz`">
        <el-radio-group v-model="depth" class="stack" aria-label="Sample format">
          <el-radio v-for="[id, label, help] in DEPTHS" :key="id" :value="id"
            >{{ label }} <span class="soft">{{ help }}</span></el-radio
          >
        </el-radio-group>
      </el-form-item>
      <div class="go">
        <say
          v-if="!running"
          class="main"
          help="Renders with Fine quality; the same samples you hear."
          strong
          data-test="render"
          @click="render"
          >Render</say
        >
        <template v-else>
          <el-progress
            class="progress"
            :percentage="Math.round(100 * done)"
            :stroke-width="8"
            aria-label="Rendering"
          />
          <say help="Stops; nothing is written." data-test="cancel-render" @click="running.abort()"
            >Cancel</say
          >
        </template>
        <span v-if="waiting.length" class="soft"
          >Waiting for transients of {{ waiting.length }} recordings.</span
        >
      </div>
      <el-form-item class="whole" label="The whole session">
        <p class="soft">
          Recordings, edits and findings in one file: a zip with WAV and JSON inside, opened from the shelf or
          rendered on the command line.
        </p>
        <action-button id="save-file" />
      </el-form-item>
    </el-form>
    <section class="results" aria-label="Results">
      <h2>Results</h2>
      <el-empty
        v-if="results.length === 0"
        :image-size="70"
        description="What you render appears here with its length, peak and checksum."
      />
      <el-table v-else :data="[...results]" row-key="checksum" size="small">
        <el-table-column type="expand" width="34">
          <template #default="{ row }">
            <p class="sum figures">SHA-256 {{ row.checksum }}</p>
          </template>
        </el-table-column>
        <el-table-column label="File" min-width="120">
          <template #default="{ row }"><span data-test="result">{{ row.name }}</span></template>
        </el-table-column>
        <el-table-column label="Length" min-width="120">
          <template #default="{ row }">{{ row.length }}, {{ row.time }}</template>
        </el-table-column>
        <el-table-column label="Peak, format" width="120">
          <template #default="{ row }"><span class="figures">{{ row.peak }}</span>, {{ row.depth }}</template>
        </el-table-column>
        <el-table-column label="" width="116" fixed="right">
          <template #default="{ row }">
            <say
              help="Saves the file."
              :icon="Download"
              data-test="download"
              @click="download(row.name, row.file, 'audio/wav')"
              >Download</say
            >
          </template>
        </el-table-column>
      </el-table>
      <p v-if="results[0]" class="sum figures soft" data-test="checksum">
        SHA-256 of the newest: {{ results[0].checksum }}
      </p>
    </section>
  </main>
</template>

<style scoped>
.desk {
  display: grid;
  flex: 1;
  grid-template-columns: minmax(320px, 440px) minmax(0, 1fr);
  gap: 32px;
  min-height: 0;
  padding: 22px 26px;
  overflow-y: auto;
}
h1 {
  margin-bottom: 14px;
  font-size: 20px;
}
.form :deep(.el-form-item) {
  margin-bottom: 14px;
}
.form :deep(.el-form-item__label) {
  color: var(--ink);
  font-weight: 600;
}
.stack {
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 2px;
}
.beside {
  display: flex;
  align-items: center;
  gap: 8px;
}
.go {
  display: flex;
  align-items: center;
  gap: 12px;
  min-height: 36px;
}
.go :deep(.main) {
  min-width: 120px;
  height: 34px;
  font-size: 14px;
}
.progress {
  width: 240px;
}
.whole {
  margin-top: 24px;
}
.whole p {
  margin: 0 0 8px;
  line-height: 1.4;
}
.results {
  min-width: 0;
}
.results h2 {
  margin: 5px 0 12px;
  font-size: 15px;
}
.sum {
  margin-top: 10px;
  overflow-wrap: anywhere;
  font-size: 12px;
}
@media (max-width: 1000px) {
  .desk {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
