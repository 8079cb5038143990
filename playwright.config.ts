// Browser tests: the built application on its own server, in Debian's Chromium.
import { defineConfig } from '@playwright/test'
import { CHROMIUM, HOME, PORT } from './tests/browser/setup'

export default defineConfig({
  testDir: 'tests/browser',
  outputDir: 'test-results/browser',
  workers: 2,
  // What is listened to runs by itself, after the rest, so that nothing else takes the processor from it.
  projects: [
    { name: 'desks', testIgnore: '**/playback.spec.ts' },
    { name: 'listening', testMatch: '**/playback.spec.ts', dependencies: ['desks'] },
  ],
  timeout: 90_000,
  expect: { timeout: 15_000 },
  reporter: process.env.PLAYWRIGHT_JSON_OUTPUT_NAME ? [['list'], ['json']] : [['list']],
  use: {
    ...HOME,
    testIdAttribute: 'data-test',
    launchOptions: CHROMIUM,
  },
  webServer: {
    command: 'node --import tsx src/server/main.ts',
    cwd: import.meta.dirname,
    url: HOME.baseURL,
    env: { PORT: String(PORT) },
    reuseExistingServer: false,
    timeout: 30_000,
  },
})
