// Tests that need the demo but not its analysis: one browser home and page a worker, whose recordings and findings stay.
import { test as base, type BrowserContext, type Page } from '@playwright/test'
import { HOME, skipWalk } from './setup'

/** Forgets sessions and preferences; what is known about recordings stays, as in a browser that is used again. */
async function forget(page: Page): Promise<void> {
  await page.goto('/icon.svg')
  await page.evaluate(async () => {
    localStorage.clear()
    sessionStorage.clear()
    const open = indexedDB.open('unwarp')
    const db = await new Promise<IDBDatabase>((done, failed) => {
      open.onsuccess = () => done(open.result)
      open.onerror = failed
      // A home that is used for the first time: the application makes its own stores.
      open.onupgradeneeded = () => open.transaction!.abort()
    }).catch(() => undefined)
    if (!db) return
    const tx = db.transaction('sessions', 'readwrite')
    tx.objectStore('sessions').clear()
    await new Promise((done) => (tx.oncomplete = done))
    db.close()
  })
}

export const test = base.extend<object, { home: BrowserContext; ownScripts: boolean }>({
  /** Set for tests with scripts of their own, which the page's content-security policy would rightly refuse. */
  ownScripts: [false, { scope: 'worker', option: true }],
  home: [
    async ({ browser, ownScripts }, use) => {
      const home = await browser.newContext({ ...HOME, bypassCSP: ownScripts })
      await skipWalk(home)
      await use(home)
      await home.close()
    },
    { scope: 'worker' },
  ],
  context: ({ home }, use) => use(home),
  page: async ({ context, ownScripts }, use) => {
    // The page before goes on being used: a new one would compile the application anew. One that crashed is not the last.
    const [page = await context.newPage(), ...others] = context.pages().reverse()
    for (const other of others) await other.close()
    await forget(page)
    await page.setViewportSize(HOME.viewport)
    await use(page)
    page.removeAllListeners('pageerror')
    page.removeAllListeners('console')
    // Scripts of a test's own would stay with it.
    if (ownScripts) await page.close()
  },
})
