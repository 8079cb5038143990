// What the analysis found, on screen; stated tempos.
import { expect, test } from '@playwright/test'
import { rainFile, takeFile } from './files'
import { analysed, openDemo, saved, storedSessions, focusTrack, bringIn, unfold } from './setup'

test('tempo, meter, key and notes of each demo track; the session takes the tempo', async ({ page }) => {
  await openDemo(page)
  await focusTrack(page, 2)
  await unfold(page, 'In this recording')
  await unfold(page, 'Method')
  const panel = page.getByTestId('findings-panel')
  await expect(page.getByTestId('found-tempo')).toHaveText(
    /^♩ = 92\.00 throughout, 4\/4, beat 1 at 0\.5[12]\d s$/,
  )
  await expect(page.getByTestId('found-key')).toHaveText(/^D minor \(\d+ %\), tuned/)
  await expect(panel).toContainText('61 notes of a single line.')
  await expect(panel.getByRole('button', { name: 'Use' })).toHaveCount(0)
  await expect(page.getByTestId('method-panel')).toContainText('Line suits it.')
  const bpm = page.getByRole('textbox', { name: 'BPM' })
  await bpm.fill('100')
  await bpm.press('Enter')
  await panel.getByRole('button', { name: 'Use' }).click()
  await expect(bpm).toHaveValue('92')
  await expect(page.getByTestId('undo-label')).toHaveText('Tempo of the recording')
})

test('a tempo in the file name is kept with the recording, as evidence', async ({ page }) => {
  await page.goto('/')
  await bringIn(page, [takeFile('Lock 117bpm.wav', 1, 6, 44100)])
  await analysed(page, 1)
  await saved(page)
  const [session] = await storedSessions(page)
  expect((session as unknown as { recordings: { stated: unknown }[] }).recordings[0]!.stated).toEqual([
    { bpm: 117, from: 'name' },
  ])
})

test('rain is told from drums: it comes with Grains, and says why', async ({ page }) => {
  await page.goto('/')
  await bringIn(page, [rainFile('Rain on the roof.wav')])
  await analysed(page, 1)
  await unfold(page, 'Method')
  await expect(page.getByTestId('method-panel')).toContainText(
    /Grains suits it\..*It is noise at an even level \(steps of \d\.\d\sdB\)/,
  )
  await saved(page)
  expect((await storedSessions(page))[0]!.tracks[0]!.method).toMatchObject({ method: 'grains' })
})
