// Transposing a clip on screen: what is rendered has the asked pitch, at the same times.
import { expect, type Page } from '@playwright/test'
import { analyse } from '../../src/core/analysis/analyse'
import type { Note } from '../../src/core/analysis/pitch/notes'
import { loadFft } from '../../src/core/dsp/fft'
import { median } from '../support/measure'
import { test } from './kept'
import { exported, openDemo, type, unfold } from './setup'

const RATE = 44100

async function notesHeard(page: Page): Promise<readonly Note[]> {
  const [left] = await exported(page)
  await page.keyboard.press('Alt+2')
  return analyse([left!], RATE).notes
}

test('a clip is transposed in semitones and cents, and back', async ({ page }) => {
  await loadFft()
  await openDemo(page)
  for (const track of [0, 1])
    await page.getByTestId('track').nth(track).getByRole('button', { name: 'Mute', exact: true }).click()
  await page.keyboard.press('ArrowDown')
  await unfold(page, 'Transpose')
  const panel = page.getByTestId('transpose-panel')
  const semitones = panel.getByRole('textbox', { name: 'Semitones', exact: true })
  const before = await notesHeard(page)
  expect(before.length).toBeGreaterThan(50)

  await semitones.fill('5')
  await semitones.press('Enter')
  await type(panel, 'Fine tuning', '-30')
  await panel.locator('.el-segmented__item', { hasText: 'move' }).click()
  await expect(page.getByTestId('undo-label')).toHaveText('Formants')
  const after = await notesHeard(page)
  const pairs = before.flatMap((b) => {
    const a = after.find((n) => Math.abs(n.start - b.start) < 0.02)
    return a ? [{ by: a.midi - b.midi, late: a.start - b.start }] : []
  })
  expect(pairs.length).toBeGreaterThan(0.95 * before.length)
  expect(median(pairs.map((p) => p.by))).toBeCloseTo(4.7, 1)
  expect(Math.abs(median(pairs.map((p) => p.late)))).toBeLessThan(0.002)

  await semitones.fill('40')
  await semitones.press('Enter')
  await expect(panel.getByRole('alert')).toHaveText('A clip can be transposed by at most 24 semitones up.')
  await semitones.press('Escape')
  for (let i = 0; i < 3; i++) await page.keyboard.press('ControlOrMeta+z')
  await expect(semitones).toHaveValue('0')
  await expect(panel.getByRole('textbox', { name: 'Fine tuning' })).toHaveValue('0')
})
