import { spawn } from 'node:child_process'
import { chromium, selectors } from '@playwright/test'
import { CHROMIUM } from '../tests/browser/setup'
import { fileOf } from './browser'
import { struck } from '../tests/support/signals'
selectors.setTestIdAttribute('data-test')
const dirs = process.env.DIRS!.split(',')
const rounds = Number(process.env.ROUNDS ?? 8)
const minute = struck(3, 60, 44100, 2, 5)
const channels = minute.channels.map((c) => {
  const all = new Float32Array(240 * 44100)
  for (let at = 0; at < all.length; at += c.length) all.set(c, at)
  return all
})
const file = fileOf('Four minutes.wav', channels)
const servers = await Promise.all(
  dirs.map(async (d, i) => {
    const s = spawn(process.execPath, ['--import', 'tsx', 'src/server/main.ts'], {
      cwd: d,
      env: { ...process.env, PORT: String(4300 + i) },
      stdio: ['ignore', 'pipe', 'ignore'],
    })
    await new Promise<void>((r) => s.stdout.once('data', () => r()))
    return s
  }),
)
const browser = await chromium.launch(CHROMIUM)
const got: number[][] = dirs.map(() => []),
  all: number[][] = dirs.map(() => []),
  wave: number[][] = dirs.map(() => [])
for (let k = 0; k < rounds; k++)
  for (let i = 0; i < dirs.length; i++) {
    const context = await browser.newContext({
      viewport: { width: 1280, height: 800 },
      bypassCSP: true,
      baseURL: `http://127.0.0.1:${4300 + i}`,
    })
    const page = await context.newPage()
    await page.addInitScript('globalThis.__name = (f) => f')
    await page.goto('/')
    await page.waitForTimeout(Number(process.env.SETTLE ?? 1500))
    await page.evaluate(() => {
      const w = window as any
      window.addEventListener(
        'change',
        () => {
          w.t0 = Date.now()
        },
        { capture: true, once: true },
      )
      w.done = new Promise((r) => {
        new MutationObserver(() => {
          if (document.querySelector('[data-test="track"]') && !w.tw) w.tw = Date.now()
          if (document.querySelector('[data-test="track"][data-ticks="true"]') && !w.t1)
            requestAnimationFrame(() =>
              setTimeout(() => {
                w.t1 ??= Date.now()
              }),
            )
          if (document.querySelector('[data-test="track"][data-analysed="true"]')) r(Date.now())
        }).observe(document, { subtree: true, childList: true, attributes: true })
      })
    })
    await page.getByTestId('files').setInputFiles(file.path)
    const r: number[] = await page.evaluate(async () => {
      const w = window as any
      const t2 = await w.done
      return [w.tw - w.t0, w.t1 - w.t0, t2 - w.t0]
    })
    wave[i]!.push(r[0]!)
    got[i]!.push(r[1]!)
    all[i]!.push(r[2]!)
    await context.close()
  }
const q = (v: number[], p: number) => [...v].sort((a, b) => a - b)[Math.floor(p * (v.length - 1))]
dirs.forEach((d, i) =>
  console.log(
    d.padEnd(10),
    'ticks median',
    q(got[i]!, 0.5),
    'q1',
    q(got[i]!, 0.25),
    'min',
    q(got[i]!, 0),
    'max',
    q(got[i]!, 1),
    '| all',
    q(all[i]!, 0.5),
    '| track',
    q(wave[i]!, 0.5),
  ),
)
for (const s of servers) s.kill()
file.remove()
process.exit(0)
