// The first minute: how much is fetched, the walk that comes once, what can be folded and put in another order.
import { gzipSync } from 'node:zlib'
import { expect, test, type Response } from '@playwright/test'
import { analysed, act, bringIn, fromMenu, openDemo, saved, storedSessions } from './setup'
import { takeFile } from './files'

test('what shows the shelf is under 400 kB, gzipped and without fonts', async ({ page }) => {
  const responses: Response[] = []
  page.on('response', (r) => {
    // Workers are begun once the page has settled.
    const counts = ['document', 'script', 'stylesheet'].includes(r.request().resourceType())
    if (counts && !/worker|worklet/.test(r.url())) responses.push(r)
  })
  const sizeOf = async (list: readonly Response[]): Promise<number> => {
    const bodies = await Promise.all(list.map((r) => r.body()))
    return bodies.reduce((sum, b) => sum + gzipSync(b).length / 1000, 0)
  }
  await page.goto('/', { waitUntil: 'commit' })
  await page.getByText('Drop a take here').waitFor()
  const first = [...responses]
  await expect.poll(() => responses.some((r) => /TimingDesk.*js$/.test(r.url()))).toBe(true)
  const [shelf, ahead] = [await sizeOf(first), await sizeOf(responses.filter((r) => !first.includes(r)))]
  process.stdout.write(`Fetched, kB gzipped: ${shelf.toFixed(0)} for the shelf, ${ahead.toFixed(0)} ahead\n`)
  expect(shelf).toBeGreaterThan(100)
  expect(shelf).toBeLessThan(400)
})

test('the walk comes with the first demo, can be skipped, never comes twice, and again from Help', async ({
  page,
}) => {
  const demo = async (): Promise<void> => {
    await page.goto('/')
    await page.getByTestId('open-demo').click()
    await analysed(page, 3)
  }
  await demo()
  await expect(page.getByText('1 of 5')).toBeVisible()
  await page
    .getByRole('button', { name: 'Close this dialog' })
    .or(page.locator('.el-tour__closebtn'))
    .first()
    .click()
  await expect(page.getByText('1 of 5')).toHaveCount(0)
  await demo()
  await page.waitForTimeout(1500)
  await expect(page.getByText('1 of 5')).toHaveCount(0)
  await fromMenu(page, page.getByRole('button', { name: 'Help and view' }), /^First-run walk/)
  for (const step of [1, 2, 3, 4, 5]) {
    await expect(page.getByText(`${step} of 5`)).toBeVisible()
    await page
      .locator('.el-tour__footer button')
      .filter({ hasText: step < 5 ? 'Next' : 'Finish' })
      .last()
      .click()
  }
  await expect(page.getByText('5 of 5')).toHaveCount(0)
})

test('tracks are put in another order by menu and by hand, and copied; panels fold and stay so', async ({
  page,
}) => {
  await openDemo(page)
  const names = async (): Promise<string[]> => {
    await saved(page)
    return (await storedSessions(page))[0]!.tracks.map((t) => t.name)
  }
  const menu = (name: string, what: string) =>
    fromMenu(page, page.getByRole('button', { name: `More for ${name}`, exact: true }), what)
  await menu('Frame drum', 'Move down')
  expect(await names()).toEqual(['Cittern', 'Frame drum', 'Bass'])
  await menu('Bass', 'Duplicate track')
  expect(await names()).toEqual(['Cittern', 'Frame drum', 'Bass', 'Bass (copy)'])
  await menu('Bass (copy)', 'Remove track')
  const grip = (track: number) => page.getByTestId('track').nth(track).locator('.grip')
  await grip(2).dragTo(grip(0), { targetPosition: { x: 4, y: 2 } })
  expect(await names()).toEqual(['Bass', 'Cittern', 'Frame drum'])
  await expect(page.getByTestId('undo-label')).toHaveText('Move “Bass”')

  const inspector = page.getByRole('complementary', { name: 'Inspector' })
  const quantize = page.getByRole('button', { name: /^Quantize/ }).first()
  await quantize.click()
  await page.keyboard.press('Alt+l')
  await expect(page.getByRole('complementary', { name: 'Tracks' })).toHaveCount(0)
  await page.reload()
  await inspector.waitFor()
  await expect(page.getByRole('complementary', { name: 'Tracks' })).toHaveCount(0)
  await expect(quantize).toHaveAttribute('aria-expanded', 'false')
  await page.keyboard.press('Alt+l')
  await page.keyboard.press('Alt+i')
  await expect(inspector).toHaveCount(0)
  await analysed(page, 3)
})

test('Space and arrows belong to a control that the keyboard has reached, else to the desk', async ({
  page,
}) => {
  await page.goto('/')
  await bringIn(page, [takeFile('Lock take.wav', 1, 3, 44100)])
  await analysed(page, 1)
  const snap = page.locator('[data-action="snap"]')
  await snap.click()
  await expect(snap).toHaveAttribute('aria-pressed', 'false')
  // Clicked: the desk has the keys, and Space plays.
  await page.keyboard.press('Space')
  await expect(page.locator('[data-action="play"]')).toHaveText('Stop')
  await page.keyboard.press('Space')
  await expect(page.locator('[data-action="play"]')).toHaveText('Play')
  // Reached by keyboard: Space presses it.
  await act(page, 'fit')
  await page.getByRole('combobox', { name: 'Kind of grid' }).focus()
  await page.keyboard.press('Tab')
  await expect(snap).toBeFocused()
  await page.keyboard.press('Space')
  await expect(snap).toHaveAttribute('aria-pressed', 'true')
  await expect(page.locator('[data-action="play"]')).toHaveText('Play')
})
