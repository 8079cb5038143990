// Vite: builds the application to build/app, serves it while it is worked on, and runs the unit tests.
import vue from '@vitejs/plugin-vue'
import Components from 'unplugin-vue-components/vite'
import { ElementPlusResolver } from 'unplugin-vue-components/resolvers'
import { defineConfig } from 'vitest/config'

/** Cross-origin isolation, as the Express server sends it, so that workers may share memory. */
const isolation = {
  'Cross-Origin-Opener-Policy': 'same-origin',
  'Cross-Origin-Embedder-Policy': 'require-corp',
}

export default defineConfig({
  plugins: [
    vue(),
    // Element Plus on demand: what a template names is fetched with its style.
    Components({
      dts: false,
      dirs: [],
      resolvers: [ElementPlusResolver({ importStyle: process.env.VITEST ? false : 'css' })],
    }),
  ],
  root: 'src/app',
  publicDir: false,
  build: {
    outDir: '../../build/app',
    emptyOutDir: true,
    target: 'es2022',
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 900,
  },
  worker: { format: 'es' },
  optimizeDeps: { exclude: ['@echogarden/pffft-wasm'] },
  server: { headers: isolation, fs: { allow: ['../..'] } },
  test: {
    root: '.',
    setupFiles: ['tests/support/setup.ts'],
    testTimeout: 60_000,
    hookTimeout: 60_000,
    // One for each core of a small machine; the default leaves one idle.
    maxWorkers: 2,
    projects: [
      // Tests here put stand-ins in place of modules and globals: each file gets its own.
      { extends: true, test: { name: 'hosts', include: ['src/{app,engine}/**/*.test.ts'] } },
      {
        extends: true,
        test: {
          name: 'core',
          include: [
            'src/{core,cli,server}/**/*.test.ts',
            'bench/**/*.test.ts',
            'tests/support/*.test.ts',
            'eslint-rules/*.test.ts',
          ],
          // Small pure functions; loading them anew for each file took a fifth of the time.
          isolate: false,
        },
      },
    ],
  },
})
