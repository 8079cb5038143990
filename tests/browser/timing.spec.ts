// The Timing desk: moving notes, correcting the detection, quantize, the keyboard.
import { expect } from '@playwright/test'
import { test } from './kept'
import { drum, place, moved, off, counts, pins, late } from './notes'
import { act, DEMO_EXTENT, openDemo, saved, Stage, storedSessions, choose, type, fromMenu } from './setup'

test('dragging a note in As placed moves it to the grid and its neighbours hold', async ({ page }) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  const note = late()
  await stage.zoomAt(note.time, 10)
  await stage.drag(stage.at(note.time, 'placed'), stage.at(note.intended + 0.02, 'placed'))
  await expect(page.getByTestId('undo-label')).toHaveText('Move note')
  await expect(place(page)).toHaveValue('5.3.000')
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
  await choose(page, 'Reach', 'to the next pins')
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
  await type(page, 'Sensitivity', '0')
  await expect(count).toHaveText(/^\d{1,2} in use$/)
  await page.getByRole('textbox', { name: 'Minimum gap' }).fill('5000')
  await page.keyboard.press('Enter')
  await expect(page.getByText('The minimum gap can be at most 2000 ms.')).toBeVisible()
  await page.keyboard.press('Escape')
  await type(page, 'Sensitivity', '60')
  await expect(count).toHaveText('100 in use')
})

test('quantize shows what would move, moves it, and is taken back by kind', async ({ page }) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  await choose(page, 'Grid', '1/16')
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
  await fromMenu(page, page.getByRole('button', { name: 'Reset', exact: true }), /^Reset quantize/)
  await expect.poll(async () => (await pins(page)).map((p) => p.origin)).toEqual(['hand', 'hand', 'hand'])
  await fromMenu(page, page.getByRole('button', { name: 'Reset', exact: true }), /^Reset hand/)
  await expect.poll(async () => (await pins(page)).length).toBe(0)
})

test('a range limits quantize, and everything outside it stays', async ({ page }) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  await choose(page, 'Grid', '1/16')
  const bar = 240 / 92
  await stage.drag(stage.at(4 * bar - 0.05, 'ruler'), stage.at(8 * bar - 0.05, 'ruler'))
  await expect(page.getByRole('button', { name: /^Quantize in the range/ })).toBeVisible()
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
  await type(page, 'Strength', '50')
  await expect(counts(page)).toHaveText(/^\s*[1-9]\d* of \d+ notes would move/)
})

test('notes that could go either way are listed and sent earlier or later', async ({ page }) => {
  await openDemo(page)
  await choose(page, 'Grid', '1/4')
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
  await place(page).fill('1.2.120')
  await page.keyboard.press('Enter')
  await expect(place(page)).toHaveValue('1.2.120')
  await place(page).fill('1.2.900')
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
