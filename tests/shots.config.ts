// npm run shots: one current picture of each main view, from the demo session, into docs/screenshots.
import { defineConfig } from '@playwright/test'
import base from '../playwright.config'

export default defineConfig({
  ...base,
  testDir: 'shots',
  projects: [{ name: 'views' }],
  outputDir: '../test-results/shots',
  reporter: [['list']],
})
