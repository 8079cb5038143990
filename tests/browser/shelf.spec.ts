// The shelf: demo, rename, duplicate, delete with undo, new sessions from files; the page's own matters.
import { expect } from '@playwright/test'
import { SHORTCUTS } from './shortcuts'
import { test } from './kept'
import { act, analysed, openDemo, saved, bringIn, errors, notes, fromMenu } from './setup'
import { takeFile } from './files'

test('the demo opens with its three tracks, tempo and transients', async ({ page }) => {
  const errors: string[] = []
  page.on('pageerror', (e) => errors.push(e.message))
  page.on('console', (m) => m.type() === 'error' && errors.push(m.text()))
  await openDemo(page)
  expect(page.url()).toMatch(/\/session\/\w+\/timing$/)
  expect(await page.evaluate(() => crossOriginIsolated)).toBe(true)
  await expect(page.getByLabel('BPM', { exact: true })).toHaveValue('92')
  await expect(page.getByTestId('tick-count')).toHaveText('100 in use')
  await expect(page.getByRole('textbox', { name: 'Track name' }).nth(0)).toHaveValue('Frame drum')
  await expect(page.getByTestId('method-panel')).toContainText('Hits suits it.')
  expect(errors).toEqual([])
})

test('sessions can be renamed, duplicated, deleted and brought back, and survive a reload', async ({
  page,
}) => {
  await openDemo(page)
  await act(page, 'shelf')
  const cards = page.getByTestId('session-card')
  await expect(cards).toHaveCount(1)
  expect(await cards.locator('path').count()).toBe(3)
  const menu = async (name: string, what: string): Promise<void> => {
    await fromMenu(page, cards.getByRole('button', { name: `More for ${name}`, exact: true }), what)
  }
  await menu('Slack Water', 'Rename')
  await page.getByRole('dialog').getByRole('textbox').fill('Lock Keeper')
  await page.keyboard.press('Enter')
  await expect(cards.getByRole('heading')).toHaveText('Lock Keeper')
  await menu('Lock Keeper', 'Duplicate')
  await expect(cards).toHaveCount(2)
  await menu('Lock Keeper (copy)', 'Delete')
  await expect(cards).toHaveCount(1)
  await notes(page).getByRole('button', { name: 'Undo' }).click()
  await expect(cards).toHaveCount(2)
  await page.reload()
  await expect(cards).toHaveCount(2)
  await cards.filter({ hasText: '(copy)' }).getByRole('button', { name: 'Open', exact: true }).click()
  await analysed(page, 3)
  await expect(page.getByTestId('tick-count')).toHaveText('100 in use')
})

test('chosen files become a session at their own rate, and more files its tracks', async ({ page }) => {
  await page.goto('/')
  await bringIn(page, [takeFile('Lock take.wav', 1, 2, 48000), takeFile('Far microphone.wav', 2, 2, 48000)])
  await analysed(page, 2)
  await expect(page.getByLabel('Session name')).toHaveValue('Lock take')
  await expect(page.getByTestId('undo-label')).toHaveText('Add 2 recordings')
  await bringIn(page, [takeFile('Third.wav', 3, 1, 44100)])
  await analysed(page, 3)
  await act(page, 'undo')
  await expect(page.getByTestId('track')).toHaveCount(2)
  await act(page, 'redo')
  await analysed(page, 3)
})

test('files dropped anywhere come in', async ({ page }) => {
  await page.goto('/')
  await expect(page.getByText('Drop a take here')).toBeVisible()
  const file = takeFile('Dropped.wav', 4, 1, 44100)
  const data = await page.evaluateHandle(
    ({ name, base64 }) => {
      const transfer = new DataTransfer()
      const bytes = Uint8Array.from(atob(base64), (c) => c.charCodeAt(0))
      transfer.items.add(new File([bytes], name, { type: 'audio/wav' }))
      return transfer
    },
    { name: file.name, base64: file.buffer.toString('base64') },
  )
  await page.dispatchEvent('body', 'dragenter', { dataTransfer: data })
  await page.dispatchEvent('body', 'dragover', { dataTransfer: data })
  await expect(page.getByText('Drop recordings or session files')).toBeVisible()
  await page.dispatchEvent('body', 'drop', { dataTransfer: data })
  await analysed(page, 1)
})

test('every action is on the sheet with its key, and the theme is kept', async ({ page }) => {
  await page.goto('/')
  await page.keyboard.press('Shift+?')
  const sheet = page.getByRole('dialog')
  await expect(sheet).toBeVisible()
  for (const [label, key] of SHORTCUTS) {
    await expect(sheet.getByRole('cell', { name: label, exact: true })).toHaveCount(1)
    await expect(sheet.locator('kbd', { hasText: new RegExp(`^${key}$`) })).toHaveCount(1)
  }
  await page.keyboard.press('Escape')
  await expect(sheet).toBeHidden()
  await act(page, 'theme')
  await expect(page.locator('html')).toHaveClass(/dark/)
  await page.reload()
  await expect(page.locator('html')).toHaveClass(/dark/)
})

test('a session that is not there says so and leads back to the shelf', async ({ page }) => {
  await page.goto('/session/nowhere/timing')
  await expect(errors(page)).toContainText('not on the shelf of this browser')
  await expect(page).toHaveURL(/\/$/)
  await openDemo(page)
  await saved(page)
})
