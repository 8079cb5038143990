// In the real browser: how soon a tempo change is heard in a session of sixteen tracks that all follow it.
import type { Browser, Page } from '@playwright/test'
import { median } from '../tests/support/measure'
import { struck } from '../tests/support/signals'
import { listenFor } from '../tests/browser/tap'
import { act } from '../tests/browser/setup'
import { fileOf, inBrowser, newPage, print } from './browser'

const RATE = 44100
const TRACKS = 16
const SECONDS = 300
/** A tone on a track whose pitch follows its speed tells which tempo is heard. */
const TONE = 4000
/** Every one is new, so that nothing of it has been rendered before. */
const TEMPOS = [120, 126, 119, 125, 118, 124, 117, 123, 116, 122, 115]

/** Beats at 120 with struck notes between them, every track from another second of the same half minute. */
function part(track: number): Float32Array {
  const half = struck(20, 30, RATE, 1).channels[0]!
  const x = new Float32Array(SECONDS * RATE)
  for (let n = 0; n < x.length; n++) x[n] = 0.3 * half[(n + track * RATE) % half.length]!
  for (let at = 0; at < x.length; at += RATE / 2)
    for (let i = 0; i < 2000; i++) x[at + i]! += 0.4 * Math.exp(-i / 300) * Math.sin(i / 4)
  if (track === 0) for (let n = 0; n < x.length; n++) x[n]! += 0.2 * Math.sin((2 * Math.PI * TONE * n) / RATE)
  return x
}

/** Takes what is heard, with the audio clock of its first sample. */
async function listen(page: Page): Promise<void> {
  await page.evaluate(async () => {
    const w = window as never as { heard: AudioNode; taken: { at: number; x: Float32Array }[] }
    const code = `registerProcessor('clocked', class extends AudioWorkletProcessor {
      process(inputs) {
        this.port.postMessage({ at: currentTime, x: inputs[0][0]?.slice() ?? new Float32Array(128) })
        return true
      }
    })`
    const { context } = w.heard
    await context.audioWorklet.addModule(URL.createObjectURL(new Blob([code], { type: 'text/javascript' })))
    const tap = Object.assign(new AudioWorkletNode(context, 'clocked'), { tapped: true })
    w.taken = []
    tap.port.onmessage = (e: MessageEvent<{ at: number; x: Float32Array }>) => w.taken.push(e.data)
    w.heard.connect(tap)
    tap.connect(context.destination)
  })
}

/** Power of one frequency in 20 ms around a place (Goertzel, Hann window). */
function powerAt(x: ArrayLike<number>, middle: number, hz: number): number {
  const half = Math.round(0.01 * RATE)
  let [re, im] = [0, 0]
  for (let i = -half; i < half; i++) {
    const v = (x[middle + i] ?? 0) * (0.5 + 0.5 * Math.cos((Math.PI * i) / half))
    re += v * Math.cos((2 * Math.PI * hz * i) / RATE)
    im += v * Math.sin((2 * Math.PI * hz * i) / RATE)
  }
  return re * re + im * im
}

/** Milliseconds from the key to the new tempo at the playhead. */
async function change(page: Page, from: number, to: number): Promise<number> {
  const field = page.getByLabel('BPM', { exact: true })
  await field.fill(String(to))
  await page.evaluate(() => {
    const w = window as never as { heard: AudioNode; taken: unknown[]; pressed: number }
    w.taken.length = 0
    window.addEventListener('keydown', () => (w.pressed = w.heard.context.currentTime), {
      once: true,
      capture: true,
    })
  })
  await field.press('Enter')
  await page.waitForTimeout(2500)
  const { pressed, at, x } = await page.evaluate(() => {
    const w = window as never as { taken: { at: number; x: Float32Array }[]; pressed: number }
    return { pressed: w.pressed, at: w.taken[0]!.at, x: w.taken.flatMap((t) => [...t.x]) }
  })
  const [before, after] = [from, to].map((bpm) => (TONE * bpm) / TEMPOS[0]!)
  for (let n = Math.round((pressed - at) * RATE); n < x.length; n += 44)
    if (powerAt(x, n, after!) > powerAt(x, n, before!)) return 1000 * (at + n / RATE - pressed)
  return NaN
}

async function printTempoHeard(browser: Browser): Promise<void> {
  const page = await newPage(browser)
  await listenFor(page)
  await page.goto('/')
  const files = Array.from({ length: TRACKS }, (_, i) => fileOf(`Track ${i + 1}.wav`, [part(i)]))
  await page.getByTestId('files').setInputFiles(files.map((f) => f.path))
  const ready = page.locator('[data-test="track"][data-analysed="true"]')
  await ready.nth(TRACKS - 1).waitFor({ timeout: 600_000 })
  for (const f of files) f.remove()
  await page
    .getByTestId('track')
    .first()
    .click({ position: { x: 60, y: 45 } })
  await page.getByTestId('method-panel').getByRole('button', { name: 'Tape', exact: true }).first().click()
  await page.keyboard.press('Alt+1')
  await page.getByLabel('The music is moved by').selectOption('bars')
  await page.getByLabel('Which tracks').selectOption('all')
  await act(page, 'music-to-grid')
  const field = page.getByLabel('BPM', { exact: true })
  await field.fill(String(TEMPOS[0]))
  await field.press('Enter')
  await page.getByTestId('tempo-stage').click({ position: { x: 500, y: 120 } })
  await page.keyboard.press('Space')
  await page.waitForTimeout(3000)
  await listen(page)
  const heard: number[] = []
  for (let i = 1; i < TEMPOS.length; i++) heard.push(await change(page, TEMPOS[i - 1]!, TEMPOS[i]!))
  await page.context().close()
  print(
    `Tempo change, ${TRACKS} tracks of ${SECONDS / 60} minutes: heard after, ms, median / worst of ${heard.length}`,
    `${median(heard).toFixed(0)} / ${Math.max(...heard).toFixed(0)}   (${heard.map((v) => v.toFixed(0)).join(' ')})`,
  )
}

export const benchTempoHeard = (): Promise<void> => inBrowser(printTempoHeard)
