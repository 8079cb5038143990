// Files from outside: bad ones get one sentence each and change nothing; compressed ones come in at their rate.
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from '@playwright/test'
import { BAD_FILES, flacFile, shortFile, takeFile } from './files'
import { analysed, exported, saved, storedSessions as stored, bringIn, errors, notes } from './setup'

test('each bad file gets one clear sentence and leaves the session as it was', async ({ page }) => {
  await page.goto('/')
  await bringIn(page, [takeFile('Good.wav', 1, 1, 44100)])
  await analysed(page, 1)
  const before = await stored(page)
  for (const [name, file, sentence] of BAD_FILES) {
    await test.step(name, async () => {
      await bringIn(page, [file])
      const alert = errors(page)
      await expect(alert).toHaveCount(1)
      const text = (await alert.locator('.words').innerText()).trim()
      expect(text).toMatch(sentence)
      expect(text.split(/\.\s+(?=[A-Z])/)).toHaveLength(1)
      await alert.getByRole('button', { name: 'Close' }).click()
      await expect(alert).toHaveCount(0)
      await expect(page.getByTestId('track')).toHaveCount(1)
    })
  }
  await saved(page)
  expect(await stored(page)).toEqual(before)
})

test('among bad files the good ones come in', async ({ page }) => {
  await page.goto('/')
  await bringIn(page, [BAD_FILES[1]![1], takeFile('Good.wav', 2, 1, 44100), BAD_FILES[3]![1]])
  await analysed(page, 1)
  await expect(errors(page)).toHaveCount(2)
})

test('a file cut short comes in as far as it goes, and says so', async ({ page }) => {
  await page.goto('/')
  await bringIn(page, [shortFile()])
  await analysed(page, 1)
  await expect(notes(page)).toContainText('The file is cut short')
})

for (const bits of [16, 24])
  test(`FLAC of ${bits} bits comes in through the browser at its own rate`, async ({ page }) => {
    await page.goto('/')
    await bringIn(page, [await flacFile('Take.flac', 3, 1.5, 32000, bits)])
    await analysed(page, 1)
    await page.getByRole('textbox', { name: 'Track name' }).hover()
    await expect(page.getByRole('tooltip')).toContainText('Take.flac: 1.5 s, 32 kHz, mono, decoded at 32 kHz')
  })

test('what was brought in stays as it was when its file is changed, and when it is deleted', async ({
  page,
}) => {
  const folder = mkdtempSync(join(tmpdir(), 'unwarp-test-'))
  const path = join(folder, 'Take.wav')
  const write = (seed: number): void => writeFileSync(path, takeFile('Take.wav', seed, 2, 44100).buffer)
  write(4)
  await page.goto('/')
  await bringIn(page, path)
  await analysed(page, 1)
  const brought = await exported(page)
  expect(brought[0]!.some((v) => v !== 0)).toBe(true)
  for (const change of [() => write(5), () => rmSync(folder, { recursive: true })]) {
    change()
    await page.keyboard.press('Alt+2')
    await page.reload()
    await analysed(page, 1)
    expect(await exported(page)).toEqual(brought)
  }
})
