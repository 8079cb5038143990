// Session files: saved by the application, rendered on the command line, opened again where nothing was kept.
import { spawnSync } from 'node:child_process'
import { readdirSync, readFileSync, rmSync } from 'node:fs'
import { expect, test, type Page } from '@playwright/test'
import { act, analysed, openDemo, saved, storedSessions, choose, bringIn, errors, notes } from './setup'

/** Does something that saves a file, and puts that file at a path. */
async function savedTo(page: Page, path: string, work: () => Promise<unknown>): Promise<string> {
  const download = page.waitForEvent('download')
  await work()
  const file = await download
  await file.saveAs(path)
  return file.suggestedFilename()
}

/** Empties the browser's database. */
const forgetAll = (page: Page): Promise<void> =>
  page.evaluate(async () => {
    const open = indexedDB.open('unwarp')
    await new Promise((done) => (open.onsuccess = done))
    const tx = open.result.transaction(['sessions', 'recordings', 'findings'], 'readwrite')
    for (const name of tx.objectStoreNames) tx.objectStore(name).clear()
    await new Promise((done) => (tx.oncomplete = done))
    open.result.close()
  })

test('a session goes out to a file and comes back the same, and the command line renders the same bytes', async ({
  page,
}, info) => {
  const path = (name: string): string => info.outputPath(name)
  await openDemo(page)
  await choose(page, 'Grid', '1/16')
  await act(page, 'quantize')
  await saved(page)
  const [before] = await storedSessions(page)
  await act(page, 'desk-render')
  await page.getByTestId('render').click()
  await expect(page.getByTestId('result')).toHaveCount(1, { timeout: 60_000 })
  await savedTo(page, path('mix.wav'), () => page.getByTestId('download').click())
  const name = await savedTo(page, path('slack-water.unwarp'), () => page.keyboard.press('ControlOrMeta+s'))
  expect(name).toBe('Slack Water.unwarp')

  const run = spawnSync(
    process.execPath,
    ['--import', 'tsx', 'src/cli/main.ts', 'render', path('slack-water.unwarp'), path('out')],
    { encoding: 'utf8' },
  )
  expect(run.stderr).toMatch(/processed 43\.\d+ s of audio in [\d.]+ s\n$/)
  expect(readdirSync(path('out')).sort()).toEqual([
    'Slack Water Bass.wav',
    'Slack Water Cittern.wav',
    'Slack Water Frame drum.wav',
    'Slack Water.wav',
  ])
  expect(readFileSync(path('out/Slack Water.wav')).equals(readFileSync(path('mix.wav')))).toBe(true)

  await act(page, 'shelf')
  await page.getByTestId('session-card').waitFor()
  await forgetAll(page)
  await page.reload()
  await expect(page.getByText('Drop a take here')).toBeVisible()
  const chooser = page.waitForEvent('filechooser')
  await act(page, 'open-file')
  await (await chooser).setFiles(path('slack-water.unwarp'))
  await analysed(page, 3)
  expect((await storedSessions(page))[0]).toEqual(before)
  await act(page, 'desk-timing')
  await expect(page.getByTestId('tick-count')).toHaveText('100 in use')

  // The same file once more stands beside the first and overwrites nothing.
  await bringIn(page, path('slack-water.unwarp'))
  await expect(notes(page)).toContainText('this is a second session')
  await analysed(page, 3)
  const both = await storedSessions(page)
  expect(both).toHaveLength(2)
  expect(both[1]!.tracks).toEqual(both[0]!.tracks)

  // A damaged one is refused with one sentence, and what is open stays open.
  const half = readFileSync(path('slack-water.unwarp'))
  const file = { name: 'half.unwarp', mimeType: '', buffer: half.subarray(0, half.length / 2) }
  await bringIn(page, [file])
  await expect(errors(page)).toContainText('“half.unwarp”: This session file cannot be opened')
  await expect(page.getByTestId('track')).toHaveCount(3)
  rmSync(path('out'), { recursive: true })
})
