// The pictures of docs/screenshots.
import { test, type Page } from '@playwright/test'
import {
  act,
  analysed,
  DEMO_EXTENT,
  openDemo,
  saved,
  Stage,
  choose,
  focusTrack,
  fromMenu,
  unfold,
} from '../browser/setup'

const BAR = 240 / 92
const shot = (page: Page, name: string) => page.screenshot({ path: `docs/screenshots/${name}.png` })

/** The demo with the drum quantized in bars 5-8, one note moved by hand, and that note selected. */
async function edited(page: Page): Promise<void> {
  await openDemo(page)
  const stage = await Stage.of(page, DEMO_EXTENT)
  await choose(page, 'Grid', '1/16')
  await stage.drag(stage.at(4 * BAR - 0.02, 'ruler'), stage.at(6 * BAR - 0.02, 'ruler'))
  await act(page, 'quantize')
  await act(page, 'fit-range')
  await saved(page)
}

test('empty shelf', async ({ page }) => {
  await page.goto('/')
  await page.locator('main svg path').nth(9).waitFor({ state: 'attached' })
  await page.waitForTimeout(300)
  await shot(page, 'shelf-empty')
})

test('first-run walk', async ({ page }) => {
  await page.goto('/')
  await page.getByTestId('open-demo').click()
  await analysed(page, 3)
  await page.getByText('1 of 5').waitFor()
  await page.waitForTimeout(400)
  await shot(page, 'walk')
})

test('shelf', async ({ page }) => {
  await edited(page)
  await act(page, 'shelf')
  await page.getByTestId('session-card').first().waitFor()
  await openDemo(page)
  await act(page, 'shelf')
  await page.getByTestId('session-card').nth(1).waitFor()
  await fromMenu(page, page.getByRole('button', { name: 'More for Slack Water' }).first(), 'Rename')
  await page.getByRole('dialog').getByRole('textbox').fill('Slack Water, take two')
  await page.keyboard.press('Enter')
  await page.waitForTimeout(300)
  await shot(page, 'shelf')
})

test('timing', async ({ page }) => {
  await edited(page)
  await page.keyboard.press('Home')
  for (let i = 0; i < 4; i++) await page.keyboard.press('ArrowRight')
  await page.waitForTimeout(300)
  await shot(page, 'timing')
  await page.keyboard.press('Shift+D')
  await page.waitForTimeout(300)
  await shot(page, 'timing-dark')
  await page.keyboard.press('Shift+D')
  await page.keyboard.press('Shift+?')
  await page.waitForTimeout(1200)
  await shot(page, 'shortcuts')
})

test('quantize preview', async ({ page }) => {
  await openDemo(page)
  await focusTrack(page, 1)
  const stage = await Stage.of(page, DEMO_EXTENT)
  await stage.drag(stage.at(8 * BAR - 0.02, 'ruler'), stage.at(10 * BAR - 0.02, 'ruler'))
  await act(page, 'fit-range')
  await page.keyboard.press('q')
  await page.waitForTimeout(300)
  await shot(page, 'quantize-preview')
})

test('render', async ({ page }) => {
  await edited(page)
  await page.keyboard.press('Alt+3')
  await page.getByText('The selected range').click()
  await page.getByTestId('render').click()
  await page.getByTestId('result').first().waitFor()
  await shot(page, 'render')
})

test('findings', async ({ page }) => {
  await openDemo(page)
  await focusTrack(page, 2)
  await unfold(page, 'Method')
  await unfold(page, 'In this recording')
  await page.getByTestId('findings-panel').scrollIntoViewIfNeeded()
  await page.waitForTimeout(300)
  await shot(page, 'findings')
})

test('tempo', async ({ page }) => {
  await page.goto('/')
  await page.getByTestId('open-reedcutters').click()
  await analysed(page, 2)
  await page.waitForTimeout(500)
  await act(page, 'grid-to-music')
  const box = (await page.getByTestId('tempo-stage').boundingBox())!
  await page.getByTestId('tempo-stage').click({ position: { x: box.width * 0.55, y: 150 } })
  await page.mouse.move(5, 795)
  await page.waitForTimeout(500)
  await shot(page, 'tempo')
})

test('tempo of loops, dark', async ({ page }) => {
  await page.goto('/')
  await page.getByTestId('open-odd-loops').click()
  await analysed(page, 5)
  await page.keyboard.press('Shift+D')
  await focusTrack(page, 4)
  await page.locator('.inspector').evaluate((e) => e.scrollTo(0, 420))
  await page.waitForTimeout(600)
  await shot(page, 'tempo-loops-dark')
  await page.keyboard.press('Shift+D')
})
