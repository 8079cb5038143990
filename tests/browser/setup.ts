// What every browser test and picture shares: the port, how Chromium is started, opening the demo.
import { existsSync, readFileSync } from 'node:fs'
import { expect, type BrowserContext, type FileChooser, type Locator, type Page } from '@playwright/test'
import { readWav } from '../../src/core/audio/wav-read'
import { layoutOf } from '../../src/app/desks/timing/layout'
import { fitAxis, toX, zoomAxis, type Axis, type Extent } from '../../src/app/stage/axis'
import type { Session } from '../../src/core/session/types'

export const PORT = 4188

/** Debian's Chromium; the same without windows, where it is installed, takes less of the processor. */
const INSTALLED = ['/usr/bin/chromium-headless-shell', '/usr/bin/chromium']

export const CHROMIUM = {
  executablePath: process.env.CHROMIUM ?? INSTALLED.find(existsSync) ?? INSTALLED[1]!,
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

/** A browser's home: where the application is, and how large it is looked at. */
export const HOME = { baseURL: `http://127.0.0.1:${PORT}`, viewport: { width: 1280, height: 800 } }

/** As for somebody who has seen the first-run walk. */
export const skipWalk = (page: Page | BrowserContext) =>
  page.addInitScript(() => localStorage.setItem('unwarp.walked', 'true'))

/** Brings files in as a person does: by the button and the chooser it opens. */
export async function bringIn(page: Page, files: Parameters<FileChooser['setFiles']>[0]): Promise<void> {
  const chooser = page.waitForEvent('filechooser')
  await act(page, 'import')
  await (await chooser).setFiles(files)
}

/** Chooses from a list by its name. */
export async function choose(page: Page | Locator, label: string, option: string): Promise<void> {
  const list = page.getByRole('combobox', { name: label, exact: true })
  await list.locator('xpath=ancestor::*[contains(@class, "el-select__wrapper")]').click()
  const shown = list.page().getByRole('option', { name: option }).filter({ visible: true })
  await shown.first().click()
  await expect(shown).toHaveCount(0)
  await expect(list).not.toBeFocused()
}

/** Types a number into a field and takes it. */
export async function type(page: Page | Locator, label: string, value: string): Promise<void> {
  const field = page.getByRole('textbox', { name: label, exact: true })
  await field.fill(value)
  await field.press('Enter')
}

/** Shows a track on the stage. */
export const focusTrack = (page: Page, track: number) =>
  page
    .getByTestId('track')
    .nth(track)
    .click({ position: { x: 2, y: 30 } })

/** Unfolds a section of the inspector. */
export async function unfold(page: Page, title: string): Promise<void> {
  const head = page.locator('.el-collapse-item__header', { hasText: title }).first()
  if ((await head.getAttribute('aria-expanded')) !== 'true') await head.click()
}

/** Chooses from a menu that a button opens. */
export async function fromMenu(page: Page, opener: Locator, item: string | RegExp): Promise<void> {
  // The menu before may still be on its way out.
  await expect(page.getByRole('menuitem').filter({ visible: true })).toHaveCount(0)
  await opener.click()
  const entry = page.getByRole('menuitem', { name: item }).filter({ visible: true })
  await expect(entry).toHaveCount(1)
  await entry.dispatchEvent('click')
}

export const errors = (page: Page) => page.locator('.el-notification.error')
export const notes = (page: Page) => page.locator('.el-notification.info')

/** Opens a new copy of the demo session and waits until its transients are found. */
export async function openDemo(page: Page): Promise<void> {
  await skipWalk(page)
  await page.goto('/')
  await page.getByTestId('open-demo').click()
  await analysed(page, 3)
}

/** Waits until a session with so many tracks is open and all of them are analysed and saved. */
export async function analysed(page: Page, tracks: number): Promise<void> {
  // Waited for in the page: assertions look again only every so often, in the end once a second.
  await page
    .locator('[data-test="track"][data-analysed="true"]')
    .nth(tracks - 1)
    .waitFor({ timeout: 60_000 })
  await expect(page.getByTestId('track')).toHaveCount(tracks)
  await saved(page)
}

export const saved = (page: Page): Promise<void> =>
  page.locator('[data-test="save-state"][data-state="saved"]').waitFor({ timeout: 15_000 })

/** Runs an action by its button. */
export const act = (page: Page, id: string) => page.locator(`[data-action="${id}"]`).first().click()

/** The whole mix as a file of 32-bit floats, by way of the Render desk. */
export async function exported(page: Page): Promise<Float32Array[]> {
  await page.keyboard.press('Alt+3')
  await page.getByRole('radio', { name: /^32-bit float/ }).check({ force: true })
  await page.getByTestId('render').click()
  const download = page.waitForEvent('download')
  await page.getByTestId('download').first().click({ timeout: 60_000 })
  return readWav(readFileSync(await (await download).path())).audio.channels.map((c) => c)
}

/** The session documents as the browser keeps them. */
export const storedSessions = (page: Page): Promise<Session[]> =>
  page.evaluate(
    () =>
      new Promise((done, failed) => {
        const open = indexedDB.open('unwarp')
        open.onerror = failed
        open.onsuccess = () => {
          const all = open.result.transaction('sessions').objectStore('sessions').getAll()
          all.onsuccess = () => {
            open.result.close()
            done(all.result.map((s: { session: unknown }) => s.session) as never)
          }
        }
      }),
  )

/** The truth of the demo session, as it is written beside the recordings. */
export interface Truth {
  readonly preRoll: number
  readonly bpm: number
  readonly tracks: readonly {
    name: string
    file: string
    onsets: readonly { time: number; intended: number; beat: number }[]
  }[]
}
export const truth = (): Truth => JSON.parse(readFileSync('build/demo/slack-water.json', 'utf8'))

/** Where things lie on the Timing desk's stage. */
export class Stage {
  private axis: Axis
  private constructor(
    readonly page: Page,
    private readonly box: { x: number; y: number; width: number; height: number },
    extent: Extent,
  ) {
    this.axis = fitAxis(extent, box.width)
  }

  /** @param extent first and last second of the session, as the whole of it is in sight */
  static async of(page: Page, extent: Extent): Promise<Stage> {
    await act(page, 'fit')
    return new Stage(page, (await page.getByTestId('stage').boundingBox())!, extent)
  }

  /** Page coordinates of a second in one of the strips. */
  at(second: number, zone: 'ruler' | 'played' | 'placed'): { x: number; y: number } {
    const l = layoutOf(this.box.height)
    const band = l[zone]
    return {
      x: this.box.x + toX(this.axis, second),
      y: this.box.y + (band.top + band.bottom) / 2 + (zone === 'ruler' ? 0 : 30),
    }
  }

  /** Wheels in at a second, which stays where it is. */
  async zoomAt(second: number, notches: number): Promise<void> {
    const { x, y } = this.at(second, 'played')
    await this.page.mouse.move(x, y)
    for (let i = 0; i < notches; i++) {
      await this.page.mouse.wheel(0, -120)
      this.axis = zoomAxis(this.axis, Math.exp(-120 * 0.0022), toX(this.axis, second))
    }
    await this.page.waitForTimeout(150)
  }

  async drag(from: { x: number; y: number }, to: { x: number; y: number }, key?: 'Shift'): Promise<void> {
    await this.page.mouse.move(from.x, from.y)
    await this.page.mouse.down()
    if (key) await this.page.keyboard.down(key)
    await this.page.mouse.move((from.x + to.x) / 2, from.y, { steps: 3 })
    await this.page.mouse.move(to.x, to.y, { steps: 3 })
    await this.page.mouse.up()
    if (key) await this.page.keyboard.up(key)
  }
}

/** The demo's first and last second: half a second before bar 1 to the end of the recordings. */
export const DEMO_EXTENT: Extent = { from: -0.5, to: 1915666 / 44100 - 0.5 }
