import { spawn } from 'node:child_process'
import { chromium, selectors } from '@playwright/test'
import { CHROMIUM } from '../tests/browser/setup'
import { fileOf, stretchOf } from './browser'
selectors.setTestIdAttribute('data-test')
const file = fileOf('Four minutes.wav', stretchOf(240))
const s = spawn(process.execPath, ['--import', 'tsx', 'src/server/main.ts'], { cwd: process.env.DIR!, env: { ...process.env, PORT: '4300' }, stdio: ['ignore', 'pipe', 'ignore'] })
await new Promise<void>((r) => s.stdout.once('data', () => r()))
const browser = await chromium.launch(CHROMIUM)
for (let k = 0; k < Number(process.env.ROUNDS ?? 5); k++) {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, bypassCSP: true, baseURL: 'http://127.0.0.1:4300' })
  const page = await context.newPage()
  page.on('console', (m) => m.text().startsWith('heard') && console.log('      ', m.text()))
  await page.addInitScript('globalThis.__name = (f) => f')
  await page.goto('/')
  await page.waitForTimeout(Number(process.env.SETTLE ?? 1500))
  await page.evaluate(() => {
    const w = window as any
    window.addEventListener('change', () => { w.t0 = Date.now() }, { capture: true, once: true })
    w.done = new Promise((r) => { new MutationObserver(() => {
      if (document.querySelector('[data-test="track"]') && !w.tw) w.tw = Date.now()
      if (document.querySelector('[data-test="track"][data-ticks="true"]') && !w.t1) requestAnimationFrame(() => setTimeout(() => { w.t1 ??= Date.now() }))
      if (document.querySelector('[data-test="track"][data-analysed="true"]')) r(Date.now())
    }).observe(document, { subtree: true, childList: true, attributes: true }) })
  })
  await page.getByTestId('files').setInputFiles(file.path)
  const r: any = await page.evaluate(async () => { const w = window as any; const t2 = await w.done; return [[...w.T, ['track', w.tw], ['ticks', w.t1], ['all', t2]].map(([n, t]: any) => [n, t - w.t0]).sort((a: any, b: any) => a[1] - b[1]).map((x: any) => x.join(' ')).join(', '), w.P.map((p: string) => p.replace(/@(.*)/, (_, t) => '@' + (t - w.t0))).join(' ')] })
  console.log(r[0]); console.log('   ', r[1])
  await context.close()
}
s.kill(); file.remove(); process.exit(0)
