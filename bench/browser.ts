// In the real browser: how soon an edit is heard, and how long frames take over ten minutes of stereo.
import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { chromium, selectors, type Browser, type Page } from '@playwright/test'
import { writeWav } from '../src/core/audio/wav-write'
import { struck } from '../tests/support/signals'
import { median, percentile } from '../tests/support/measure'
import { analysed, CHROMIUM, DEMO_EXTENT, Stage } from '../tests/browser/setup'
import { listenFor } from '../tests/browser/tap'

const PORT = 4189
const BASE = `http://127.0.0.1:${PORT}`
export const print = (name: string, value: string): void =>
  void process.stdout.write(`${name.padEnd(58)} ${value}\n`)

export async function newPage(browser: Browser): Promise<Page> {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    bypassCSP: true,
    baseURL: BASE,
  })
  const page = await context.newPage()
  // tsx wraps functions in a helper that the page does not have.
  await page.addInitScript('globalThis.__name = (f) => f')
  return page
}

/** Opens the demo; test ids are attributes of our own here. */
async function openDemo(page: Page): Promise<void> {
  await page.goto('/')
  await page.getByTestId('open-demo').click()
  await analysed(page, 3)
}

/** Milliseconds after which an edit counts as not heard, and that it counts. */
const UNHEARD = 5000

/**
 * Milliseconds from an edit until the first sample that differs from the round before, over many edits.
 *
 * @param dropped a file that is brought in and analysed meanwhile; edits end when that is done
 */
async function editToHeard(browser: Browser, dropped?: string): Promise<number[]> {
  const page = await newPage(browser)
  await listenFor(page)
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  const note = 4 * (240 / 92) + 1.5 * (60 / 92)
  await page.getByLabel('Grid', { exact: true }).selectOption('32')
  // A loop of an eighth inside the reach of one note: every sample of it changes with the note.
  await stage.zoomAt(note, 12)
  await stage.drag(stage.at(note - 0.08, 'ruler'), stage.at(note + 0.17, 'ruler'))
  await page.keyboard.press('l')
  await page.keyboard.press('Home')
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('Space')
  await page.waitForTimeout(1500)
  await page.evaluate(async () => {
    const w = window as never as { heard: AudioNode; frames: number; changes: number[] }
    const { context } = w.heard
    const code = `registerProcessor('change', class extends AudioWorkletProcessor {
      constructor() { super(); this.past = []; this.length = 0; this.armed = false
        this.port.onmessage = (e) => { this.length = e.data.length; this.armed = true } }
      process(inputs) {
        const x = inputs[0][0] ? inputs[0][0].slice() : new Float32Array(128)
        this.past.push(...x)
        if (this.past.length > 200000) this.past.splice(0, 100000)
        if (this.armed && this.past.length > this.length + 128) {
          const at = this.past.length - 128
          for (let i = 0; i < 128; i++) if (Math.abs(this.past[at + i] - this.past[at + i - this.length]) > 1e-7) {
            this.armed = false
            this.port.postMessage(currentTime + i / sampleRate)
            break
          }
        }
        return true
      }
    })`
    await context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], { type: 'text/javascript' })))
    const tap = Object.assign(new AudioWorkletNode(context, 'change'), { tapped: true })
    w.heard.connect(tap)
    tap.connect(context.destination)
    ;(w as never as { tap: AudioWorkletNode }).tap = tap
  })
  const tempo = 92
  const samplesOf = (beats: number): number => Math.round((beats * 60 * 44100) / tempo)
  const snap = (second: number): number => Math.round(((second * tempo) / 60) * 8) / 8
  const loop = samplesOf(snap(note + 0.17)) - samplesOf(snap(note - 0.08))
  const out: number[] = []
  // What is chosen stays so while recordings come in.
  if (dropped) await page.getByTestId('files').setInputFiles(dropped)
  const analysedOnes = page.locator('[data-test="track"][data-analysed="true"]')
  for (let i = 0; i < 24 && (await analysedOnes.count()) === 3; i++) {
    await page.waitForTimeout(dropped ? 300 : 700)
    await page.evaluate(
      ([n, unheard]) => {
        const w = window as never as { heard: AudioNode; tap: AudioWorkletNode; result: Promise<number> }
        let edited = NaN
        window.addEventListener('keydown', () => (edited = w.heard.context.currentTime), {
          once: true,
          capture: true,
        })
        w.result = new Promise((done) => {
          setTimeout(() => done(unheard), unheard)
          w.tap.port.onmessage = (e: MessageEvent<number>) => done(1000 * (e.data - edited))
        })
        w.tap.port.postMessage({ length: n })
      },
      [loop, UNHEARD] as const,
    )
    // On and on: what goes back and forth has been rendered before.
    await page.keyboard.press('Alt+Shift+ArrowRight')
    out.push(await page.evaluate(() => (window as never as { result: Promise<number> }).result))
  }
  await page.context().close()
  return out.slice(4)
}

interface Frames {
  /** Milliseconds from frame to frame. */
  readonly intervals: number[]
  /** Milliseconds of a frame that the page is busy: scripts, drawing, layout and paint. */
  readonly busy: number[]
  /** Milliseconds of processor time a frame, mean. */
  readonly cpu: number
}

/** Processor seconds that the page's main thread has used, which other load on the machine does not swell. */
async function mainThread(page: Page): Promise<() => Promise<number>> {
  const cdp = await page.context().newCDPSession(page)
  await cdp.send('Performance.enable', { timeDomain: 'threadTicks' })
  return async () => {
    const { metrics } = await cdp.send('Performance.getMetrics')
    return metrics.find((m) => m.name === 'TaskDuration')!.value
  }
}

/** Wheels over the stage frame by frame, or only waits. */
const wheeled = (page: Page, how: 'zoom' | 'scroll' | 'rest'): Promise<Frames> =>
  page.evaluate(
    (kind) =>
      new Promise((done) => {
        const stage = document.querySelector('[data-test="stage"]')!
        const box = stage.getBoundingClientRect()
        const intervals: number[] = []
        const busy: number[] = []
        const after = new MessageChannel()
        let last = 0
        let start = 0
        let n = 0
        // A message posted in a frame arrives when the frame's own work is done.
        after.port1.onmessage = () => busy.push(performance.now() - start)
        const frame = (now: number): void => {
          if (last) intervals.push(now - last)
          last = now
          if (++n > 240) return done({ intervals, busy, cpu: 0 })
          start = performance.now()
          const sign = Math.floor(n / 60) % 2 ? 1 : -1
          if (kind !== 'rest')
            stage.dispatchEvent(
              new WheelEvent('wheel', {
                deltaX: kind === 'scroll' ? 90 * sign : 0,
                deltaY: kind === 'zoom' ? 70 * sign : 0,
                clientX: box.left + box.width * 0.4,
                clientY: box.top + 200,
                bubbles: true,
                cancelable: true,
              }),
            )
          after.port2.postMessage(0)
          requestAnimationFrame(frame)
        }
        requestAnimationFrame(frame)
      }),
    how,
  )

/** Frames while zooming and scrolling ten minutes of stereo with 3,000 transients, all quantized, and at rest. */
async function frames(
  browser: Browser,
): Promise<{ notes: string; runs: Record<'rest' | 'zoom' | 'scroll', Frames> }> {
  const page = await newPage(browser)
  await page.goto('/')
  const file = fileOf('Ten minutes.wav', stretchOf(600))
  await page.getByTestId('files').setInputFiles(file.path)
  await analysed(page, 1)
  file.remove()
  await page.locator('[data-action="quantize"]').click()
  await page.waitForTimeout(3000)
  const notes = await page.getByTestId('tick-count').innerText()
  const used = await mainThread(page)
  const run = async (how: 'zoom' | 'scroll' | 'rest'): Promise<Frames> => {
    const before = await used()
    const f = await wheeled(page, how)
    return { ...f, cpu: (1000 * ((await used()) - before)) / f.busy.length }
  }
  const rest = await run('rest')
  const zoom = await run('zoom')
  await page.locator('[data-action="zoom-in"]').click()
  const scroll = await run('scroll')
  await page.context().close()
  return { notes, runs: { rest, zoom, scroll } }
}

/** A recording as a file in a folder of its own. */
export function fileOf(name: string, channels: readonly Float32Array[]): { path: string; remove(): void } {
  const folder = mkdtempSync(join(tmpdir(), 'unwarp-bench-'))
  const path = join(folder, name)
  writeFileSync(path, writeWav({ sampleRate: 44100, channels }, '24'))
  return { path, remove: () => rmSync(folder, { recursive: true, force: true }) }
}

/** One minute of struck tones again and again. */
export function stretchOf(seconds: number): Float32Array[] {
  const minute = struck(3, 60, 44100, 2, 5)
  return minute.channels.map((c) => {
    const all = new Float32Array(seconds * 44100)
    for (let at = 0; at < all.length; at += c.length)
      all.set(c.subarray(0, Math.min(c.length, all.length - at)), at)
    return all
  })
}

async function printHeard(browser: Browser): Promise<void> {
  const told = (v: readonly number[]): string =>
    `${median([...v]).toFixed(0)} / ${percentile([...v], 0.95).toFixed(0)} of ${v.length}`
  print('Edit until it is heard in a loop, median / 95th, ms', told(await editToHeard(browser)))
  const file = fileOf('Twenty minutes.wav', stretchOf(1200))
  print('The same while twenty minutes are analysed', told(await editToHeard(browser, file.path)))
  file.remove()
}

async function printFrames(browser: Browser): Promise<void> {
  const { notes, runs } = await frames(browser)
  print('Ten minutes of stereo', notes)
  const pair = (v: number[]): string => `${median(v).toFixed(1)} / ${percentile(v, 0.95).toFixed(1)}`
  for (const [name, f] of Object.entries(runs)) {
    print(`${name}: frame interval, median / 95th, ms`, pair(f.intervals))
    print(`${name}: page busy in a frame, median / 95th, ms`, pair(f.busy))
    print(`${name}: processor time a frame, mean, ms`, f.cpu.toFixed(2))
  }
}

/** Runs one measurement against a server of its own. */
export async function inBrowser(work: (browser: Browser) => Promise<void>): Promise<void> {
  selectors.setTestIdAttribute('data-test')
  const server = spawn(process.execPath, ['--import', 'tsx', 'src/server/main.ts'], {
    env: { ...process.env, PORT: String(PORT) },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  await new Promise<void>((done) => server.stdout.once('data', () => done()))
  const browser = await chromium.launch(CHROMIUM)
  try {
    await work(browser)
  } finally {
    await browser.close()
    server.kill()
  }
}

export const benchHeard = (): Promise<void> => inBrowser(printHeard)
export const benchFrames = (): Promise<void> => inBrowser(printFrames)
