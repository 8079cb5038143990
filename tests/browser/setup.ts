// What every browser test and picture shares: the port, how Chromium is started, opening the demo.
import { expect, type Page } from '@playwright/test'

export const PORT = 4188

export const CHROMIUM = {
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: [
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
    '--autoplay-policy=no-user-gesture-required',
  ],
}

/** Opens a new copy of the demo session and waits until its transients are found. */
export async function openDemo(page: Page): Promise<void> {
  await page.goto('/')
  await page.getByTestId('open-demo').click()
  await analysed(page, 3)
}

/** Waits until a session with so many tracks is open and all of them are analysed and saved. */
export async function analysed(page: Page, tracks: number): Promise<void> {
  await expect(page.getByTestId('track')).toHaveCount(tracks)
  await expect(page.getByText('finding transients …')).toHaveCount(0, { timeout: 60_000 })
  await saved(page)
}

export const saved = (page: Page): Promise<void> =>
  expect(page.getByTestId('save-state')).toHaveAttribute('data-state', 'saved')

/** Runs an action by its button. */
export const act = (page: Page, id: string) => page.locator(`[data-action="${id}"]`).first().click()
