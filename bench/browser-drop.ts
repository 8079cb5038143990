// In the real browser: how soon what is dropped is seen, and its transients and all findings with it.
import type { Browser } from '@playwright/test'
import { fileOf, inBrowser, newPage, print, stretchOf } from './browser'
import { referenceTime } from './speed'
import { median } from '../tests/support/measure'

/** The page has been open for so long, milliseconds. */
const SETTLED = 1500

interface Dropped {
  readonly wave: number
  readonly ticks: number
  readonly all: number
}

/** Seconds from the page's being given a file until its wave, its transients and all findings are there. */
async function untilThere(browser: Browser, path: string): Promise<Dropped> {
  const page = await newPage(browser)
  // From when the page is told of the file until it has been drawn: what this driver needs to hand it over and to look
  // is nobody's wait.
  await page.addInitScript(() => {
    const w = window as never as Record<string, number>
    window.addEventListener('change', () => (w['given'] = Date.now()), { capture: true, once: true })
    const drawn = (attribute: string): void =>
      void requestAnimationFrame(() => setTimeout(() => (w[attribute] = (Date.now() - w['given']!) / 1000)))
    const awaited = new Set(['data-drawn', 'data-ticks', 'data-analysed'])
    const look = (): void => {
      for (const attribute of awaited)
        if (document.querySelector(`[data-test="track"][${attribute}="true"]`)) {
          awaited.delete(attribute)
          drawn(attribute)
        }
    }
    new MutationObserver(look).observe(document, { subtree: true, childList: true, attributes: true })
  })
  await page.goto('/')
  // Nobody drops a file in the moment in which the page and its workers are still getting ready.
  await page.waitForTimeout(SETTLED)
  await page.getByTestId('files').setInputFiles(path)
  const after = async (attribute: string): Promise<number> => {
    const told = await page.waitForFunction(
      (name) => (window as never as Record<string, number>)[name],
      attribute,
      { timeout: 120_000, polling: 50 },
    )
    return (await told.jsonValue())!
  }
  const there = {
    wave: await after('data-drawn'),
    ticks: await after('data-ticks'),
    all: await after('data-analysed'),
  }
  await page.context().close()
  return there
}

/** The same for four minutes of stereo; and milliseconds until a cancelled analysis of it is gone. */
async function dropped(browser: Browser): Promise<Dropped & { cancelled: number }> {
  const file = fileOf('Four minutes.wav', stretchOf(240))
  const there = await untilThere(browser, file.path)
  // A cancelled analysis: from the click until its task is gone.
  const second = await newPage(browser)
  await second.goto('/')
  await second.getByTestId('files').setInputFiles(file.path)
  const task = second.getByText('Analysing “Four minutes.wav”')
  await task.waitFor({ timeout: 60_000 })
  await second.waitForTimeout(300)
  const cancelled = await second.evaluate(
    () =>
      new Promise<number>((done) => {
        const find = () =>
          [...document.querySelectorAll('button')].find(
            (b) => b.textContent === 'Cancel' && b.parentElement?.textContent?.includes('Analysing'),
          )
        const clicked = performance.now()
        find()!.click()
        const look = (): void => (find() ? void setTimeout(look, 1) : done(performance.now() - clicked))
        look()
      }),
  )
  await second.context().close()
  file.remove()
  return { ...there, cancelled }
}

async function printDropped(browser: Browser): Promise<void> {
  const micros = (): string => (1e6 * referenceTime()).toFixed(0)
  const before = micros()
  const runs: Awaited<ReturnType<typeof dropped>>[] = []
  for (let i = 0; i < 5; i++) runs.push(await dropped(browser))
  print('fft.js, real 2048 points before and after, µs', `${before}, ${micros()}`)
  const figures: [string, number[], number][] = [
    ['Five times four minutes of stereo: wave after, s', runs.map((r) => r.wave), 2],
    ['The same: transients after, s', runs.map((r) => r.ticks), 2],
    ['The same: all findings after, s', runs.map((r) => r.all), 2],
    ['Cancelled analysis: gone after, ms', runs.map((r) => r.cancelled), 0],
  ]
  for (const [name, v, digits] of figures) {
    const [least, most] = [Math.min(...v), Math.max(...v)]
    print(name, `${median(v).toFixed(digits)}, ${least.toFixed(digits)} to ${most.toFixed(digits)}`)
  }
  const long = fileOf('Ten minutes.wav', stretchOf(600))
  const { wave, ticks } = await untilThere(browser, long.path)
  long.remove()
  print(
    'Ten minutes of stereo, once: wave and transients after, s',
    `${wave.toFixed(2)}, ${ticks.toFixed(2)}`,
  )
}

export const benchDropped = (): Promise<void> => inBrowser(printDropped)
