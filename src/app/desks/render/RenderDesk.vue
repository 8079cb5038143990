<script setup lang="ts">
// The Render desk: what, which depth; progress with cancel; results to download.
import { computed, onBeforeUnmount, ref, shallowRef } from 'vue'
import { formatLength, formatSeconds } from '../../../core/music/position'
import { secondsToBeat } from '../../../core/music/tempo-map'
import type { WavDepth } from '../../../core/audio/wav-write'
import { toDb } from '../../../core/render/levels'
import { InputError } from '../../../core/errors'
import { exportWav } from '../../../engine/export'
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
  readonly url: string
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
      url: URL.createObjectURL(out.file),
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

onBeforeUnmount(() => {
  running.value?.abort()
  for (const r of results.value) URL.revokeObjectURL(r.url)
})
</script>

<template>
  <div class="desk">
    <section class="form" aria-label="What to render">
      <h1>Render</h1>
      <fieldset>
        <legend>What</legend>
        <label title="All tracks that are heard, with their gains, as you hear them."
          ><input v-model="what" type="radio" value="mix" /> The mix of what is heard</label
        >
        <label title="One track alone, with its gain.">
          <input v-model="what" type="radio" value="track" /> One track
          <select v-model="trackId" class="plain" aria-label="Track to render" @change="what = 'track'">
            <option v-for="t in store.session!.tracks" :key="t.id" :value="t.id">{{ t.name }}</option>
          </select>
        </label>
      </fieldset>
      <fieldset>
        <legend>How much</legend>
        <label title="From the first sound to the last."
          ><input v-model="span" type="radio" value="whole" /> Everything,
          {{ formatSeconds(view.extent.to - view.extent.from) }}</label
        >
        <label title="The range selected on the Timing desk.">
          <input v-model="span" type="radio" value="range" :disabled="!view.rangeSeconds" /> The selected
          range<template v-if="view.rangeSeconds"
            >, {{ formatSeconds(view.rangeSeconds.to - view.rangeSeconds.from) }}</template
          >
          <span v-else class="soft">(none selected)</span>
        </label>
      </fieldset>
      <fieldset>
        <legend>WAV, {{ store.session!.sampleRate / 1000 }} kHz</legend>
        <label v-for="[id, label, help] in DEPTHS" :key="id" :title="help"
          ><input v-model="depth" type="radio" :value="id" /> {{ label }}
          <span class="soft">{{ help }}</span></label
        >
      </fieldset>
      <div class="go">
        <button
          v-if="!running"
          type="button"
          class="plain strong"
          data-test="render"
          title="Renders with Fine quality; the same samples you hear."
          @click="render"
        >
          Render
        </button>
        <template v-else>
          <progress :value="done" max="1" />
          <span class="figures">{{ Math.round(100 * done) }} %</span>
          <button
            type="button"
            class="plain"
            data-test="cancel-render"
            title="Stops; nothing is written."
            @click="running.abort()"
          >
            Cancel
          </button>
        </template>
        <span v-if="waiting.length" class="soft"
          >Waiting for transients of {{ waiting.length }} recordings.</span
        >
      </div>
      <fieldset class="whole">
        <legend>The whole session</legend>
        <p class="soft">
          Recordings, edits and findings in one file: a zip with WAV and JSON inside, opened from the shelf or
          rendered on the command line.
        </p>
        <action-button id="save-file" />
      </fieldset>
    </section>
    <section class="results" aria-label="Results">
      <h2>Results</h2>
      <p v-if="results.length === 0" class="soft">
        What you render appears here with its length, peak and checksum.
      </p>
      <article v-for="r in results" :key="r.url" data-test="result">
        <div class="head">
          <b>{{ r.name }}</b>
          <a class="download" :href="r.url" :download="r.name" data-test="download" title="Saves the file."
            >Download</a
          >
        </div>
        <dl class="figures">
          <dt>Length</dt>
          <dd>{{ r.length }} (bars|beats|ticks), {{ r.time }}</dd>
          <dt>Peak</dt>
          <dd>{{ r.peak }}, {{ r.depth }}</dd>
          <dt>SHA-256</dt>
          <dd class="sum">{{ r.checksum }}</dd>
        </dl>
      </article>
    </section>
  </div>
</template>

<style scoped>
.desk {
  display: grid;
  flex: 1;
  grid-template-columns: minmax(340px, 480px) minmax(0, 1fr);
  gap: 40px;
  min-height: 0;
  padding: 24px 30px;
  overflow-y: auto;
}
h1 {
  margin-bottom: 14px;
  font-size: 20px;
}
fieldset {
  margin: 0 0 16px;
  padding: 8px 14px 10px;
  border: 1px solid var(--line);
  border-radius: 8px;
}
legend {
  padding: 0 6px;
  font-weight: 600;
}
label {
  display: block;
  padding: 3px 0 3px 25px;
}
input[type='radio'] {
  margin-left: -20px;
  accent-color: var(--accent);
}
.go {
  display: flex;
  align-items: center;
  gap: 12px;
}
.go .strong {
  min-width: 120px;
  min-height: 34px;
}
.whole {
  margin-top: 26px;
}
.whole p {
  margin: 0 0 8px;
}
progress {
  width: 220px;
  accent-color: var(--accent);
}
.results h2 {
  margin: 5px 0 12px;
  font-size: 15px;
}
article {
  margin-bottom: 12px;
  padding: 10px 14px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: var(--paper-raised);
}
.head {
  display: flex;
  justify-content: space-between;
}
.download {
  color: var(--accent);
}
dl {
  display: grid;
  grid-template-columns: 70px 1fr;
  gap: 2px 10px;
  margin: 6px 0 0;
  font-size: 12px;
}
dt {
  color: var(--ink-soft);
}
dd {
  margin: 0;
}
.sum {
  overflow-wrap: anywhere;
}
</style>
