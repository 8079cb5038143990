// The Render desk: whole and range, all depths, cancel, the same file twice.
import { createHash } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { expect, type Page } from '@playwright/test'
import { readWav } from '../../src/core/audio/wav-read'
import { test } from './kept'
import { act, DEMO_EXTENT, openDemo, Stage, choose, focusTrack, errors } from './setup'

const BAR = 240 / 92

async function rendered(page: Page): Promise<Buffer> {
  const count = await page.getByTestId('result').count()
  await page.getByTestId('render').click()
  await expect(page.getByTestId('result')).toHaveCount(count + 1, { timeout: 60_000 })
  const download = page.waitForEvent('download')
  await page.getByTestId('download').first().click()
  return readFileSync(await (await download).path())
}

test('renders the range at every depth with its figures, the same bytes each time', async ({ page }) => {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  await choose(page, 'Grid', '1/16')
  await act(page, 'quantize')
  await choose(page, 'Grid', '1/4')
  await stage.drag(stage.at(4 * BAR - 0.02, 'ruler'), stage.at(8 * BAR - 0.02, 'ruler'))
  await page.keyboard.press('Alt+3')
  await page.getByText('The selected range').click()
  const files: Buffer[] = []
  for (const depth of ['16-bit', '24-bit', '32-bit float']) {
    await page.getByRole('radio', { name: new RegExp(`^${depth}`) }).check({ force: true })
    files.push(await rendered(page))
  }
  const result = page.getByRole('row').filter({ has: page.getByTestId('result') })
  await expect(result.first()).toContainText('4 bars exactly')
  await expect(page.getByTestId('checksum')).toContainText(
    createHash('sha256').update(files[2]!).digest('hex'),
  )
  expect(files.map((f) => readWav(f).format)).toEqual([
    { kind: 'int', bits: 16 },
    { kind: 'int', bits: 24 },
    { kind: 'float', bits: 32 },
  ])
  const [a, b, c] = files.map((f) => readWav(f).audio.channels[0]!)
  expect(a!.length).toBe(Math.round(8 * BAR * 44100) - Math.round(4 * BAR * 44100))
  let [d16, d24] = [0, 0]
  c!.forEach((v, i) => {
    d16 = Math.max(d16, Math.abs(a![i]! - v))
    d24 = Math.max(d24, Math.abs(b![i]! - v))
  })
  expect(d16).toBeLessThan(2 / 32768)
  expect(d24).toBeLessThan(1 / 8388608)
  expect((await rendered(page)).equals(files[2]!)).toBe(true)
})

test('one track alone, unedited, is its recording bit for bit', async ({ page }) => {
  await openDemo(page)
  await page.keyboard.press('Alt+3')
  await choose(page, 'Track to render', 'Cittern')
  const file = await rendered(page)
  expect(file.subarray(44).equals(readFileSync('build/demo/slack-water-cittern.wav').subarray(44))).toBe(true)
})

test('a render can be cancelled and leaves nothing behind', async ({ page }) => {
  await openDemo(page)
  await choose(page, 'Grid', '1/16')
  for (const track of [1, 2]) {
    await focusTrack(page, track)
    await act(page, 'quantize')
  }
  await page.keyboard.press('Alt+3')
  await page.getByTestId('render').click()
  await page.getByTestId('cancel-render').click()
  await expect(page.getByTestId('render')).toBeVisible()
  await expect(page.getByTestId('result')).toHaveCount(0)
  await expect(errors(page)).toHaveCount(0)
  await rendered(page)
})
