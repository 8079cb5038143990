// Accessibility: no serious or critical issue on the shelf and each desk, in both themes.
import AxeBuilder from '@axe-core/playwright'
import { expect, type Page } from '@playwright/test'
import { test } from './kept'
import { act, openDemo } from './setup'

test.use({ ownScripts: true })

async function check(page: Page, where: string): Promise<void> {
  for (const theme of ['light', 'dark']) {
    await expect(page.locator('html')).toHaveClass(theme === 'dark' ? /dark/ : /^(?!.*dark)/)
    const { violations, passes } = await new AxeBuilder({ page }).analyze()
    // It did look: names of buttons and contrast among the rest.
    expect(passes.map((p) => p.id)).toEqual(expect.arrayContaining(['button-name', 'color-contrast']))
    const bad = violations.filter((v) => v.impact === 'serious' || v.impact === 'critical')
    const said = bad.map(
      (v) => `${v.id}: ${v.nodes.map((n) => `${n.target.join(' ')} ${n.any[0]?.message ?? ''}`).join(' | ')}`,
    )
    expect.soft(said, `${where}, ${theme}`).toEqual([])
    await page.keyboard.press('Shift+D')
    // Colours change over within a third of a second.
    await page.waitForTimeout(400)
  }
}

test('the shelf, empty and with a session, and each desk', async ({ page }) => {
  await page.goto('/')
  await page.getByText('Drop a take here').waitFor()
  await check(page, 'empty shelf')
  await openDemo(page)
  for (const desk of ['tempo', 'timing', 'render']) {
    await act(page, `desk-${desk}`)
    await page.getByRole('main').waitFor()
    await check(page, desk)
  }
  await act(page, 'shelf')
  await page.getByTestId('session-card').waitFor()
  await check(page, 'shelf')
})
