// Runs every task of the project, installing its packages first when they are missing. Node's own modules only.
import { spawn, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { fileURLToPath } from 'node:url'

const root = path.dirname(path.dirname(fileURLToPath(import.meta.url)))
const stamp = path.join(root, 'node_modules', '.unwarp-lock')
const lockHash = () =>
  createHash('sha256')
    .update(readFileSync(path.join(root, 'package-lock.json')))
    .digest('hex')
const bin = (name) => path.join(root, 'node_modules', '.bin', name)
/** The native compiler, by its path: the one that Vue's checker builds upon has a program of the same name. */
const TSC = path.join(root, 'node_modules', 'typescript-native', 'bin', 'tsc')

/** Runs a program in the foreground; resolves with its exit code. */
const run = (program, args = [], env = {}) =>
  new Promise((done) => {
    const child = spawn(program, args, { cwd: root, stdio: 'inherit', env: { ...process.env, ...env } })
    const pass = (signal) => child.kill(signal)
    process.on('SIGINT', pass)
    process.on('SIGTERM', pass)
    child.on('close', (code) => done(code ?? 1))
    child.on('error', () => done(1))
  })

/** Installs the packages when they are missing or no longer those of the lock file. */
function install() {
  if (existsSync(stamp) && readFileSync(stamp, 'utf8') === lockHash()) return
  process.stderr.write('Installing packages …\n')
  const npm = process.platform === 'win32' ? 'npm.cmd' : 'npm'
  const result = spawnSync(npm, ['ci', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: root,
    stdio: ['ignore', 2, 2],
  })
  if (result.status !== 0) {
    process.stderr.write('The packages could not be installed; check that npm works here and try again.\n')
    process.exit(1)
  }
  writeFileSync(stamp, lockHash())
}

const BROWSERS = ['/usr/bin/chromium-headless-shell', '/usr/bin/chromium']
const quiet = (program, args) =>
  spawnSync(program, args, {
    stdio: 'ignore',
    env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
  }).status === 0

/**
 * Installs Debian's Chromium for the browser tests where there is none and it may.
 *
 * @returns what is to be done by hand where it could not, in one sentence
 */
function ensureBrowser() {
  if (process.env.CHROMIUM || BROWSERS.some(existsSync)) return ''
  const root = process.getuid?.() === 0
  const asked =
    'install Debian’s chromium-headless-shell (or chromium), or name a Chromium with CHROMIUM=path'
  if (!root && !quiet('sudo', ['-n', 'true'])) return `The interface tests need Chromium: ${asked}.`
  process.stderr.write('Installing Chromium …\n')
  const apt = (...args) => (root ? quiet('apt-get', args) : quiet('sudo', ['-n', 'apt-get', ...args]))
  apt('update', '-qq')
  if (['chromium-headless-shell', 'chromium'].some((name) => apt('install', '-y', '-qq', name))) return ''
  return `Chromium could not be installed: ${asked}.`
}

async function step(title, program, args, env) {
  const start = Date.now()
  const code = await run(program, args, env)
  process.stdout.write(
    `  ${title}: ${code === 0 ? 'ok' : 'FAILED'} (${((Date.now() - start) / 1000).toFixed(0)} s)\n`,
  )
  return code
}

const readReport = (file) => (existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : undefined)

/** Lints, checks types, unit tests, builds and drives the interface; ends with the counts of all tests. */
async function test() {
  const missing = ensureBrowser()
  if (missing) {
    process.stdout.write(`${missing}\n\n0 passed, 1 failed\n`)
    return 1
  }
  const reports = path.join(root, 'test-results')
  rmSync(reports, { recursive: true, force: true })
  mkdirSync(reports, { recursive: true })
  const unitFile = path.join(reports, 'unit.json')
  const failures = []
  const check = async (title, program, args, env) => {
    if ((await step(title, program, args, env)) !== 0) failures.push(title)
  }
  /** For what runs beside tests that listen: they wait most of the time, but must not be kept waiting. */
  const quietly = (title, program, args) =>
    process.platform === 'win32'
      ? check(title, program, args)
      : check(title, 'nice', ['-n', '19', program, ...args])
  const browserFile = (project) => path.join(reports, `${project}.json`)
  const browse = (project) =>
    check(`browser tests, ${project}`, bin('playwright'), ['test', '--no-deps', `--project=${project}`], {
      PLAYWRIGHT_JSON_OUTPUT_NAME: browserFile(project),
    })
  const read = (async () => {
    await quietly('format', bin('oxfmt'), ['--check', '.'])
    for (const project of ['tsconfig.core.json', 'tsconfig.node.json'])
      await quietly(`types of ${project}`, process.execPath, [TSC, '-p', project])
    await quietly('lint', bin('eslint'), ['.'])
    await quietly('types of tsconfig.json', bin('vue-tsc'), ['-p', 'tsconfig.json'])
  })()
  await Promise.all([
    check('demo recordings', bin('tsx'), ['demo/make.ts']),
    check('build', bin('vite'), ['build', '--logLevel', 'warn']),
  ])
  await browse('listening')
  await check('unit tests', bin('vitest'), [
    'run',
    '--reporter=default',
    '--reporter=json',
    `--outputFile=${unitFile}`,
  ])
  await browse('desks')
  await read
  const unit = readReport(unitFile)
  const browser = ['listening', 'desks'].map((project) => readReport(browserFile(project)))
  const passed = (unit?.numPassedTests ?? 0) + browser.reduce((n, b) => n + (b?.stats.expected ?? 0), 0)
  const failed = (unit?.numFailedTests ?? 0) + browser.reduce((n, b) => n + (b?.stats.unexpected ?? 0), 0)
  // A step that failed without a failing test (lint, types, build) counts as one.
  const other =
    failures.filter((f) => !/tests/.test(f)).length +
    (failures.length > 0 && failed === 0 && failures.every((f) => /tests/.test(f)) ? 1 : 0)
  if (failures.length) process.stdout.write(`\nFailed: ${failures.join(', ')}\n`)
  process.stdout.write(`\n${passed} passed, ${failed + other} failed\n`)
  return failures.length ? 1 : 0
}

/** Builds the application and its demo recordings, then goes on. */
async function built(next) {
  if ((await step('demo recordings', bin('tsx'), ['demo/make.ts'])) !== 0) return 1
  if ((await step('build', bin('vite'), ['build', '--logLevel', 'warn'])) !== 0) return 1
  return next()
}

const demo = () => built(() => run(bin('tsx'), ['src/server/main.ts']))

const tasks = {
  test,
  demo,
  dev: async () => {
    if (!existsSync(path.join(root, 'build', 'demo'))) await run(bin('tsx'), ['demo/make.ts'])
    return run(bin('vite'), [])
  },
  cli: (args) => run(bin('tsx'), ['src/cli/main.ts', ...args]),
  bench: (args) => run(bin('tsx'), ['bench/main.ts', ...args]),
  shots: () => built(() => run(bin('playwright'), ['test', '--config', 'tests/shots.config.ts'])),
}

const [task, ...args] = process.argv.slice(2)
if (!(task in tasks)) {
  process.stderr.write(`There is no task “${task}”; the tasks are ${Object.keys(tasks).join(', ')}.\n`)
  process.exit(1)
}
install()
process.exit(await tasks[task](args))
