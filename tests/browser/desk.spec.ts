// The Timing desk around its notes: saving, tempo, sight, linked tracks, methods, near-doubles.
import { expect } from '@playwright/test'
import { flamFile } from './files'
import { test } from './kept'
import { moved, figure, pins, late } from './notes'
import {
  act,
  analysed,
  DEMO_EXTENT,
  openDemo,
  saved,
  Stage,
  storedSessions,
  focusTrack,
  bringIn,
  type,
  unfold,
  fromMenu,
} from './setup'

test('a finished edit survives a reload at once, and the tab being killed', async ({ page, context }) => {
  await openDemo(page)
  const url = page.url()
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('Alt+Shift+ArrowRight')
  await page.reload()
  await analysed(page, 3)
  await expect(page.getByTestId('undo-label')).toHaveText('Nudge note')
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('ArrowRight')
  expect(await moved(page)).toBeCloseTo(10, 0)
  await page.keyboard.press('Alt+Shift+ArrowRight')
  const client = await context.newCDPSession(page)
  const crashed = page.waitForEvent('crash')
  void client.send('Page.crash').catch(() => {})
  await crashed
  const again = await context.newPage()
  await again.goto(url)
  await analysed(again, 3)
  await again.keyboard.press('ArrowRight')
  await again.keyboard.press('ArrowRight')
  expect(await moved(again)).toBeCloseTo(20, 0)
  await again.keyboard.press('Control+z')
  await again.keyboard.press('Control+z')
  expect(await moved(again)).toBeCloseTo(0, 1)
})

test('reloading in the middle of a drag keeps the edits before it', async ({ page }) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  const note = late()
  await stage.zoomAt(note.time, 10)
  await stage.drag(stage.at(note.time, 'placed'), stage.at(note.intended, 'placed'))
  const from = stage.at(note.intended, 'placed')
  await page.mouse.move(from.x, from.y)
  await page.mouse.down()
  await page.mouse.move(from.x + 40, from.y, { steps: 3 })
  await page.reload()
  await analysed(page, 3)
  await expect(page.getByTestId('undo-label')).toHaveText('Move note')
  expect((await pins(page)).filter((p) => p.place === 18)).toHaveLength(1)
})

test('tempo and meter are typed with a sentence for what cannot be', async ({ page }) => {
  await openDemo(page)
  const bpm = page.getByLabel('BPM', { exact: true })
  await bpm.fill('5')
  await page.keyboard.press('Enter')
  await expect(page.getByText('The tempo must be at least 10 BPM.')).toBeVisible()
  await bpm.fill('96,5')
  await page.keyboard.press('Enter')
  await expect(bpm).toHaveValue('96.5')
  await type(page, 'Beats in a bar', '3')
  await expect(page.getByTestId('undo-label')).toHaveText('Meter')
  await saved(page)
  expect((await storedSessions(page))[0]).toMatchObject({
    tempo: [{ beat: 0, bpm: 96.5 }],
    meter: [{ bar: 0, numerator: 3, denominator: 4 }],
  })
})

test('hovering tells time, bar and distance from the grid; wheel and Shift-wheel look elsewhere', async ({
  page,
}) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  const note = late()
  await stage.zoomAt(note.time, 8)
  const { x, y } = stage.at(note.time, 'placed')
  await page.mouse.move(x + 1, y)
  const readout = page.getByTestId('readout')
  await expect(readout).toContainText('5.3.0')
  expect(figure(/([+−][\d.]+) ms off/.exec(await readout.innerText())![1]!)).toBeCloseTo(
    1000 * (note.time - note.intended),
    0,
  )
  await page.keyboard.down('Shift')
  await page.mouse.wheel(0, 300)
  await page.keyboard.up('Shift')
  await page.mouse.move(x + 2, y)
  await expect(readout).not.toContainText('5.3.0')
})

test('linked tracks get the same pins, and unlinked ones none', async ({ page }) => {
  await openDemo(page)
  const link = async (track: number, words: RegExp): Promise<void> => {
    await fromMenu(page, page.getByTestId('track').nth(track).getByRole('button', { name: 'Link' }), words)
  }
  await link(1, /^Group A ?no other track yet/)
  await link(2, /^Group A ?with Cittern/)
  await focusTrack(page, 1)
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('Alt+Shift+ArrowRight')
  await saved(page)
  const [drumPins, citternPins, bassPins] = (await storedSessions(page))[0]!.tracks.map(
    (t) => t.clips[0]!.pins,
  )
  expect(drumPins).toEqual([])
  expect(citternPins).toHaveLength(3)
  expect(bassPins).toEqual(citternPins)
})

test('the method is suggested with its reasons and stays the user’s to change', async ({ page }) => {
  await openDemo(page)
  await unfold(page, 'Method')
  const panel = page.getByTestId('method-panel')
  await expect(panel).toContainText(
    /Hits suits it\. \d+\s% of the energy is in attacks \(\d+\s% below 800\sHz\)/,
  )
  await panel.getByRole('button', { name: 'Chords' }).click()
  await expect(panel).toContainText('Suggested:')
  await expect(page.getByTestId('track').first()).toContainText('Chords')
  await panel.getByRole('button', { name: 'Hits' }).first().click()
  await panel.locator('.el-segmented__item', { hasText: 'rest' }).click()
  await type(page, 'Tail', '40')
  await saved(page)
  expect((await storedSessions(page))[0]!.tracks[0]!.method).toEqual({
    method: 'hits',
    fill: 'rest',
    tail: 40,
    size: 60,
    scatter: 40,
  })
})

test('every method can be chosen; grains have a size and a scatter of their own', async ({ page }) => {
  await openDemo(page)
  await unfold(page, 'Method')
  const panel = page.getByTestId('method-panel')
  for (const name of ['Line', 'Chords', 'Mix', 'Tape', 'Cuts', 'Hits', 'Grains']) {
    await panel.getByRole('button', { name, exact: true }).first().click()
    await expect(page.getByTestId('track').first()).toContainText(name)
  }
  await type(page, 'Size', '120')
  await type(page, 'Scatter', '75')
  await saved(page)
  expect((await storedSessions(page))[0]!.tracks[0]!.method).toMatchObject({
    method: 'grains',
    size: 120,
    scatter: 75,
  })
  await act(page, 'undo')
  await expect(page.getByRole('textbox', { name: 'Scatter' })).toHaveValue('40')
})

test('the stage follows the playhead, and leaves it alone when told to', async ({ page }) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  await stage.zoomAt(0.2, 12)
  const left = async (): Promise<number> => (await page.locator('.overview .window').boundingBox())!.x
  const before = await left()
  await page.keyboard.press('Space')
  await expect.poll(left).toBeGreaterThan(before + 5)
  await page.keyboard.press('f')
  const now = await left()
  await page.waitForTimeout(1500)
  expect(Math.abs((await left()) - now)).toBeLessThan(1)
  await page.keyboard.press('Space')
})

test('the desk holds from 1100 to 2560 pixels', async ({ page }) => {
  await openDemo(page)
  for (const width of [1100, 1280, 1920, 2560]) {
    await page.setViewportSize({ width, height: 800 })
    await page.waitForTimeout(200)
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBe(width)
    const inspector = (await page.getByRole('complementary', { name: 'Inspector' }).boundingBox())!
    for (const id of ['fit', 'zoom-out', 'zoom-in', 'fit-range']) {
      const button = (await page.locator(`.tools [data-action="${id}"]`).boundingBox())!
      expect(button.x + button.width, `${id} at ${width}`).toBeLessThanOrEqual(inspector.x)
    }
    const meter = (await page.getByTestId('level').boundingBox())!
    expect(meter.x + meter.width).toBeLessThanOrEqual(width)
  }
})

test('near-doubles are flagged: stepped through, told of, gone when muted', async ({ page }) => {
  await page.goto('/')
  await bringIn(page, [flamFile('Flams.wav')])
  await analysed(page, 1)
  const flagged = page.getByTestId('near-doubles')
  await expect(flagged).toContainText('2 near-doubles flagged')
  await flagged.getByRole('button', { name: 'Next' }).click()
  const later = page.getByTestId('note-later')
  await expect(later).toHaveText('+24 ms')
  await expect(page.getByTestId('note-panel')).toContainText('1.500')
  await page.keyboard.press('d')
  await expect(page.getByTestId('note-panel')).toContainText('3.000')
  await page.keyboard.press('m')
  await expect(flagged).toContainText('1 near-double flagged')
  await page.keyboard.press('d')
  await expect(page.getByTestId('note-panel')).toContainText('1.500')
})
