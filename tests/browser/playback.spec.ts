// What is heard: the same samples as the export, gapless loops, a switch without a gap, the click.
import { readFileSync, writeFileSync } from 'node:fs'
import { expect, type Page } from '@playwright/test'
import { readWav } from '../../src/core/audio/wav-read'
import { db, locate, rms } from '../support/measure'
import { test } from './kept'
import { longFile } from './files'
import { act, DEMO_EXTENT, exported, openDemo, saved, Stage, choose, bringIn, unfold } from './setup'
import { framesTaken, heardFor, listenFor, startTap, taken } from './tap'

test.use({ ownScripts: true })

const BAR = 240 / 92
const RATE = 44100

async function ready(page: Page): Promise<Stage> {
  await listenFor(page)
  await openDemo(page)
  return Stage.of(page, DEMO_EXTENT)
}

/** Opens the audio graph by playing for a moment, then listens. */
async function tapped(page: Page): Promise<void> {
  await page.keyboard.press('Space')
  await expect(page.locator('[data-action="play"]')).toHaveText('Stop')
  await page.keyboard.press('Space')
  await expect(page.locator('[data-action="play"]')).toHaveText('Play')
  await startTap(page)
}

/** Where a signal is loudest within a stretch: a place to align by. */
function loudest(x: Float32Array, from: number, to: number): number {
  let best = from
  for (let i = from; i < to; i++) if (Math.abs(x[i]!) > Math.abs(x[best]!)) best = i
  return best
}

/** Largest difference of two signals over a stretch, dB of full scale. */
function difference(a: Float32Array, aFrom: number, b: Float32Array, bFrom: number, count: number): number {
  let top = 0
  for (let i = 0; i < count; i++) top = Math.max(top, Math.abs(a[aFrom + i]! - b[bFrom + i]!))
  return db(Math.max(top, 1e-12))
}

test('playback is the exported file, sample for sample', async ({ page }) => {
  await ready(page)
  await choose(page, 'Grid', '1/16')
  await act(page, 'quantize')
  await page.keyboard.press('ArrowDown')
  await act(page, 'quantize')
  await saved(page)
  await tapped(page)
  await page.keyboard.press('Home')
  await page.keyboard.press('Space')
  await heardFor(page, 6)
  const heard = await taken(page)
  await page.keyboard.press('Space')
  const file = await exported(page)
  expect(file).toHaveLength(2)
  expect(file[0]!.length).toBe(1915666)
  // Aligned by the loudest moment of the third second; the offset must then hold over everything heard.
  const pattern = loudest(file[0]!, 2 * RATE, 3 * RATE)
  const found = locate(
    file[0]!,
    pattern,
    2000,
    heard[0]!,
    Math.round(heard[0]!.length / 2),
    Math.round(heard[0]!.length / 2),
  )
  expect(found.correlation).toBeGreaterThan(0.9999)
  const lag = found.at - pattern
  const from = Math.max(256, -lag + 256)
  const count = Math.min(heard[0]!.length - lag, file[0]!.length) - from - 256
  expect(count).toBeGreaterThan(5 * RATE)
  for (const c of [0, 1]) expect(difference(heard[c]!, from + lag, file[c]!, from, count)).toBeLessThan(-90)
})

test('a loop goes round without a missing, doubled or faded sample', async ({ page }) => {
  const stage = await ready(page)
  await choose(page, 'Grid', '1/4')
  await tapped(page)
  await stage.drag(stage.at(4 * BAR - 0.02, 'ruler'), stage.at(4.5 * BAR - 0.02, 'ruler'))
  await page.keyboard.press('l')
  await page.keyboard.press('Home')
  await page.keyboard.press('Space')
  await heardFor(page, 5.3)
  const heard = (await taken(page))[0]!
  const length = Math.round(4.5 * BAR * RATE) - Math.round(4 * BAR * RATE)
  const start = heard.findIndex((v) => v !== 0) + 512
  const rounds = Math.floor((heard.length - start - 512) / length) - 1
  expect(rounds).toBeGreaterThanOrEqual(2)
  expect(difference(heard, start, heard, start + length, length * rounds)).toBeLessThan(-140)
})

test('original and corrected switch without a gap, and original is the recording', async ({ page }) => {
  await ready(page)
  await choose(page, 'Grid', '1/16')
  for (const track of [1, 2])
    await page.getByTestId('track').nth(track).getByRole('button', { name: 'Mute', exact: true }).click()
  // A press on a track's button focuses it; what sounds is the drum.
  await page.keyboard.press('ArrowUp')
  await page.keyboard.press('ArrowUp')
  await tapped(page)
  await page.keyboard.press('Home')
  await page.keyboard.press('Space')
  await heardFor(page, 1)
  // Changed while it plays: the original of what is changed comes after the corrected, but it comes.
  await act(page, 'quantize')
  await page.waitForTimeout(1500)
  const pressed = await framesTaken(page)
  await page.keyboard.press('c')
  await expect(page.getByRole('radio', { name: 'original' })).toBeChecked()
  await expect.poll(() => framesTaken(page)).toBeGreaterThan(pressed + 3.3 * RATE)
  const heard = (await taken(page))[0]!
  const drum = readWav(readFileSync('build/demo/slack-water-frame-drum.wav')).audio.channels[0]!
  /** How far a second of what was heard, so long after the switch was asked for, is from the recording. */
  const fromDrum = (after: number): number => {
    const from = pressed + Math.round(after * RATE)
    const pattern = loudest(heard, from, from + RATE)
    const found = locate(heard, pattern, 2000, drum, Math.round(drum.length / 4), Math.round(drum.length / 4))
    return difference(heard, from, drum, found.at - (pattern - from), RATE)
  }
  // The change is heard before the switch; soon after the switch, where blocks were there before it, and later on,
  // the recording.
  expect(fromDrum(-1.2)).toBeGreaterThan(-40)
  for (const after of [0.5, 2.1]) expect(fromDrum(after)).toBeLessThan(-90)
  const begin = heard.findIndex((v) => v !== 0)
  let silent = 0
  let longest = 0
  for (let i = begin; i < heard.length; i++) {
    silent = heard[i] === 0 ? silent + 1 : 0
    longest = Math.max(longest, silent)
  }
  expect(longest).toBeLessThan(8)
})

test('the click sounds on the beats, and never in a file', async ({ page }) => {
  await ready(page)
  for (const track of [0, 1, 2])
    await page.getByTestId('track').nth(track).getByRole('button', { name: 'Mute', exact: true }).click()
  await page.keyboard.press('k')
  await tapped(page)
  await page.keyboard.press('Home')
  await page.keyboard.press('Space')
  await heardFor(page, 4.5)
  const heard = (await taken(page))[0]!
  const starts: number[] = []
  for (let i = 1; i < heard.length; i++)
    if (Math.abs(heard[i]!) > 0.02 && (starts.length === 0 || i - starts.at(-1)! > 10000)) starts.push(i)
  expect(starts.length).toBeGreaterThanOrEqual(5)
  starts.slice(1).forEach((s, i) => expect(Math.abs(s - starts[i]! - (60 / 92) * RATE)).toBeLessThan(30))
  await page.keyboard.press('Space')
  // With every track muted the file is as long as ever and holds nothing, although the click is on.
  const file = await exported(page)
  expect(file[0]!.length).toBe(1915666)
  expect(file.every((c) => c.every((v) => v === 0))).toBe(true)
})

test('a bar is counted in with the click alone, then the music begins on its beat', async ({ page }) => {
  await ready(page)
  await page.keyboard.press('Alt+1')
  await unfold(page, 'Click')
  await choose(page, 'Bars of count-in', '1 bar')
  await page.keyboard.press('k')
  await tapped(page)
  await page.keyboard.press('Home')
  await page.keyboard.press('Space')
  await heardFor(page, 4)
  const heard = (await taken(page))[0]!
  const start = heard.findIndex((v) => Math.abs(v) > 0.02)
  const beat = (60 / 92) * RATE
  const level = (from: number, to: number): number =>
    db(rms(heard, Math.round(start + from * beat), Math.round(start + to * beat)))
  for (let n = 0; n < 4; n++) {
    expect(level(n, n + 0.07)).toBeGreaterThan(-45)
    // A click is over after 45 ms: between clicks nothing sounds until the playhead's place, half a second before
    // beat 1, where the recordings and their hiss begin.
    expect(level(n + 0.12, n < 3 ? n + 0.95 : 3.22)).toBeLessThan(-120)
  }
  expect(level(3.3, 3.9)).toBeGreaterThan(-90)
  expect(level(4.12, 4.5)).toBeGreaterThan(-50)
})

test('the level shows what is heard, the playhead goes on and returns', async ({ page }) => {
  await ready(page)
  await page.keyboard.press('Space')
  await expect.poll(async () => Number(await page.getByTestId('level').innerText())).toBeGreaterThan(-40)
  await expect.poll(() => page.getByTestId('time').innerText()).toMatch(/0:0[1-9]/)
  await page.keyboard.press('Space')
  await expect(page.getByTestId('time')).toHaveText('0:00.000')
})

test('what was just dropped is heard while its frames are still made', async ({ page }) => {
  await listenFor(page)
  await page.goto('/')
  const file = test.info().outputPath('Twenty minutes.wav')
  writeFileSync(file, longFile('Twenty minutes.wav', 20).buffer)
  await bringIn(page, file)
  await page.locator('[data-test="track"][data-drawn="true"]').waitFor()
  await page.locator('[data-action="play"]').click()
  const done = await page.evaluate(async () => {
    const w = window as never as { heard?: AudioNode }
    while (!w.heard) await new Promise(requestAnimationFrame)
    const meter = Object.assign(w.heard.context.createAnalyser(), { tapped: true })
    w.heard.connect(meter)
    const x = new Float32Array(meter.fftSize)
    while (!x.some((v) => Math.abs(v) > 1e-3)) {
      await new Promise(requestAnimationFrame)
      meter.getFloatTimeDomainData(x)
    }
    return (
      Number(
        document.querySelector('[data-test="task"] [role="progressbar"]')!.getAttribute('aria-valuenow'),
      ) / 100
    )
  })
  // Frames are the first 65 per cent of an analysis.
  expect(done).toBeLessThan(0.6)
})
