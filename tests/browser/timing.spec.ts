// The Timing desk: moving notes, correcting the detection, quantize, undo, saving.
import { expect, type Page } from '@playwright/test'
import { flamFile } from './files'
import { test } from './kept'
import { act, analysed, DEMO_EXTENT, openDemo, saved, Stage, storedSessions, truth } from './setup'

const drum = () =>
  truth().tracks[0]!.onsets.map((o) => ({ ...o, time: o.time - 0.5, intended: o.intended - 0.5 }))
const place = (page: Page) => page.getByLabel('Sounds at')
const moved = async (page: Page): Promise<number> => figure(await page.getByTestId('note-moved').innerText())
const off = async (page: Page): Promise<number> => figure(await page.getByTestId('note-off').innerText())
const figure = (text: string): number => Number(text.replace('−', '-').replace(/[^-\d.]/g, ''))
const counts = (page: Page) => page.getByTestId('quantize-counts')
const pins = async (page: Page) => (await storedSessions(page))[0]!.tracks[0]!.clips[0]!.pins

/** Bar 5 beat 3 is the first that is 35 ms late on purpose. */
const late = () => drum().find((o) => o.beat === 18)!

test('dragging a note in As placed moves it to the grid and its neighbours hold', async ({ page }) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  const note = late()
  await stage.zoomAt(note.time, 10)
  await stage.drag(stage.at(note.time, 'placed'), stage.at(note.intended + 0.02, 'placed'))
  await expect(page.getByTestId('undo-label')).toHaveText('Move note')
  await expect(place(page)).toHaveValue('5|3|000')
  expect(await off(page)).toBeCloseTo(0, 1)
  expect(await moved(page)).toBeCloseTo(1000 * (note.intended - note.time), 0)
  await expect(page.getByTestId('note-panel')).toContainText('pinned by hand')
  for (const key of ['ArrowRight', 'ArrowLeft', 'ArrowLeft']) await page.keyboard.press(key)
  expect(await moved(page)).toBeCloseTo(0, 1)
  await expect.poll(async () => (await pins(page)).length).toBe(3)
  await page.keyboard.press('Control+z')
  await expect(page.getByTestId('undo-label')).toHaveText('')
  await expect.poll(async () => (await pins(page)).length).toBe(0)
})

test('Shift places a note freely, Escape lets go of it, and reach by pins holds nothing', async ({
  page,
}) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  const note = late()
  await stage.zoomAt(note.time, 10)
  await stage.drag(stage.at(note.time, 'placed'), stage.at(note.time - 0.022, 'placed'), 'Shift')
  expect(await moved(page)).toBeGreaterThan(-25)
  expect(await moved(page)).toBeLessThan(-19)
  expect(Math.abs(await off(page))).toBeGreaterThan(5)
  await page.keyboard.press('Control+z')
  const [from, to] = [stage.at(note.time, 'placed'), stage.at(note.time - 0.1, 'placed')]
  await page.mouse.move(from.x, from.y)
  await page.mouse.down()
  await page.mouse.move(to.x, to.y, { steps: 4 })
  await page.keyboard.press('Escape')
  await page.mouse.up()
  await expect(page.getByTestId('undo-label')).toHaveText('')
  await page.getByLabel('Reach').selectOption('pins')
  await stage.drag(stage.at(note.time, 'placed'), stage.at(note.intended, 'placed'))
  await expect.poll(async () => (await pins(page)).length).toBe(1)
})

test('dragging a tick in As played corrects the detection and stretches nothing', async ({ page }) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  const note = late()
  await stage.zoomAt(note.time, 12)
  await stage.drag(stage.at(note.time, 'played'), stage.at(note.time + 0.012, 'played'))
  await expect(page.getByTestId('undo-label')).toHaveText('Correct transient')
  await expect(page.getByTestId('tick-count')).toHaveText('100 in use, 1 by hand')
  expect(await moved(page)).toBeCloseTo(0, 1)
  await saved(page)
  expect(await pins(page)).toEqual([])
  const { transients } = (await storedSessions(page))[0]!.tracks[0]!.clips[0]!
  expect(transients.moved).toHaveLength(1)
  expect((transients.moved[0]!.to - transients.moved[0]!.from) / 44.1).toBeGreaterThan(9)
  expect((transients.moved[0]!.to - transients.moved[0]!.from) / 44.1).toBeLessThan(15)
})

test('transients are added at a zero crossing, muted, deleted, filtered with the count alive', async ({
  page,
}) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  const count = page.getByTestId('tick-count')
  await stage.zoomAt(late().time + 0.14, 8)
  const empty = stage.at(late().time + 0.14, 'played')
  await page.mouse.dblclick(empty.x, empty.y)
  await expect(count).toHaveText('101 in use, 1 by hand')
  await page.keyboard.press('m')
  await expect(count).toHaveText('100 in use, 1 muted, 1 by hand')
  await page.keyboard.press('m')
  await page.keyboard.press('Delete')
  await expect(count).toHaveText('100 in use')
  await page.getByLabel('Sensitivity').fill('0')
  await expect(count).toHaveText(/^\d{1,2} in use$/)
  await page.getByLabel('Minimum gap').fill('5000')
  await page.keyboard.press('Enter')
  await expect(page.getByText('The minimum gap can be at most 2000 ms.')).toBeVisible()
  await page.keyboard.press('Escape')
  await page.getByLabel('Sensitivity').fill('60')
  await expect(count).toHaveText('100 in use')
})

test('quantize shows what would move, moves it, and is taken back by kind', async ({ page }) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  await page.getByLabel('Grid', { exact: true }).selectOption('16')
  await stage.zoomAt(late().time, 10)
  await stage.drag(stage.at(late().time, 'placed'), stage.at(late().time - 0.02, 'placed'), 'Shift')
  await page.keyboard.press('Escape')
  await expect(counts(page)).toContainText('of 100 notes would move')
  await page.keyboard.press('q')
  await expect(page.locator('[data-action="preview-quantize"]')).toHaveAttribute('aria-pressed', 'true')
  await page.keyboard.press('Shift+q')
  await expect(page.getByTestId('undo-label')).toHaveText(/^Quantize \d+ notes$/)
  await expect(counts(page)).toHaveText(/^\s*0 of 100 notes would move/)
  await expect
    .poll(async () => (await pins(page)).filter((p) => p.origin === 'quantize').length)
    .toBeGreaterThan(90)
  await act(page, 'reset-quantize')
  await expect.poll(async () => (await pins(page)).map((p) => p.origin)).toEqual(['hand', 'hand', 'hand'])
  await act(page, 'reset-hand')
  await expect.poll(async () => (await pins(page)).length).toBe(0)
})

test('a range limits quantize, and everything outside it stays', async ({ page }) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  await page.getByLabel('Grid', { exact: true }).selectOption('16')
  const bar = 240 / 92
  await stage.drag(stage.at(4 * bar - 0.05, 'ruler'), stage.at(8 * bar - 0.05, 'ruler'))
  await expect(page.getByTestId('quantize-panel')).toContainText('in the range')
  const before = drum().filter((o) => o.beat >= 16 && o.beat < 32)
  await expect(counts(page)).toContainText(
    new RegExp(`of (${before.length}|${before.length - 1}|${before.length + 1}) notes`),
  )
  await act(page, 'quantize')
  await saved(page)
  const sources = (await pins(page)).map((p) => p.source / 44100 - 0.5)
  const [left, right] = [
    drum()
      .filter((o) => o.beat < 16)
      .at(-1)!,
    drum().find((o) => o.beat >= 32)!,
  ]
  expect(Math.min(...sources)).toBeGreaterThan(left.time - 0.01)
  expect(Math.max(...sources)).toBeLessThan(right.time + 0.7)
  await page.getByLabel('Strength').fill('50')
  await expect(counts(page)).toHaveText(/^\s*[1-9]\d* of \d+ notes would move/)
})

test('notes that could go either way are listed and sent earlier or later', async ({ page }) => {
  await openDemo(page)
  await page.getByLabel('Grid', { exact: true }).selectOption('4')
  await act(page, 'preview-quantize')
  const row = page.getByTestId('quantize-panel').locator('.open .row').first()
  await expect(row).toBeVisible()
  // "from → line", both as bar|beat|tick; on a quarter grid in 4/4 the line's beats count from the start.
  const line = async (): Promise<number> => {
    const text = (await row.innerText()).split('→')[1]!
    const [bar, beat] = text.match(/\d+/g)!.map(Number)
    return 4 * (bar! - 1) + beat! - 1
  }
  await row.getByRole('button', { name: 'later' }).click()
  const later = await line()
  await row.getByRole('button', { name: 'earlier' }).click()
  await expect.poll(line).toBeLessThan(later)
})

test('everything can be done by keyboard', async ({ page }) => {
  await openDemo(page)
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('ArrowRight')
  const before = await place(page).inputValue()
  await page.keyboard.press('Alt+Shift+ArrowRight')
  expect(await moved(page)).toBeCloseTo(10, 0)
  await page.keyboard.press('Alt+ArrowLeft')
  expect(await moved(page)).toBeCloseTo(9, 0)
  await page.keyboard.press('g')
  expect(await off(page)).toBeCloseTo(0, 1)
  await place(page).fill('1|2|120')
  await page.keyboard.press('Enter')
  await expect(place(page)).toHaveValue('1|2|120')
  await place(page).fill('1|2|900')
  await page.keyboard.press('Enter')
  await expect(page.getByText('The neighbours hold, so the note went as far as it could')).toBeVisible()
  await page.keyboard.press('Control+z')
  await place(page).fill('somewhere')
  await page.keyboard.press('Enter')
  await expect(page.getByText('“somewhere” is no position')).toBeVisible()
  await page.getByTestId('stage').click({ position: { x: 5, y: 300 } })
  for (let i = 0; i < 5; i++) await page.keyboard.press('Control+z')
  await expect(page.getByTestId('undo-label')).toHaveText('')
  await page.keyboard.press('Home')
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('ArrowRight')
  await expect(place(page)).toHaveValue(before)
  await page.keyboard.press('ArrowDown')
  await expect(page.getByTestId('track').nth(1)).toHaveClass(/focused/)
  await page.keyboard.press('Alt+3')
  await expect(page).toHaveURL(/\/render$/)
  await page.keyboard.press('Alt+2')
  await expect(page).toHaveURL(/\/timing$/)
})

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
  await page.getByLabel('Beats in a bar').fill('3')
  await page.keyboard.press('Enter')
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
  await expect(readout).toContainText('5|3|0')
  expect(figure(/([+−][\d.]+) ms off/.exec(await readout.innerText())![1]!)).toBeCloseTo(
    1000 * (note.time - note.intended),
    0,
  )
  await page.keyboard.down('Shift')
  await page.mouse.wheel(0, 300)
  await page.keyboard.up('Shift')
  await page.mouse.move(x + 2, y)
  await expect(readout).not.toContainText('5|3|0')
})

test('linked tracks get the same pins, and unlinked ones none', async ({ page }) => {
  await openDemo(page)
  const link = (track: number) => page.getByTestId('track').nth(track).getByRole('button', { name: /^Link/ })
  await link(1).click()
  await link(2).click()
  await page
    .getByTestId('track')
    .nth(1)
    .click({ position: { x: 60, y: 45 } })
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
  const panel = page.getByTestId('method-panel')
  await expect(panel).toContainText(/Hits suits it\. \d+ % of the energy is in attacks/)
  await panel.getByRole('button', { name: 'Chords' }).click()
  await expect(panel).toContainText('Suggested:')
  await expect(page.getByTestId('track').first()).toContainText('Chords')
  await panel.getByRole('button', { name: 'Hits' }).first().click()
  await page.getByLabel('Gap filling').selectOption('rest')
  await page.getByLabel('Tail').fill('40')
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
  const panel = page.getByTestId('method-panel')
  for (const name of ['Line', 'Chords', 'Mix', 'Tape', 'Cuts', 'Hits', 'Grains']) {
    await panel.getByRole('button', { name, exact: true }).first().click()
    await expect(page.getByTestId('track').first()).toContainText(name)
  }
  await page.getByLabel('Size').fill('120')
  await page.getByLabel('Scatter').fill('75')
  await saved(page)
  expect((await storedSessions(page))[0]!.tracks[0]!.method).toMatchObject({
    method: 'grains',
    size: 120,
    scatter: 75,
  })
  await act(page, 'undo')
  await expect(page.getByLabel('Scatter')).toHaveValue('40')
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
    const inspector = (await page.getByLabel('Inspector').boundingBox())!
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
  await page.getByTestId('files').setInputFiles([flamFile('Flams.wav')])
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
