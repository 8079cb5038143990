// The Tempo desk as its user meets it: the jig without a click, and the shelf of odd loops.
import { readFileSync } from 'node:fs'
import midi from '@tonejs/midi'
import { expect, type Page } from '@playwright/test'
import { barAt } from '../../src/core/music/meter-map'
import { beatToSeconds } from '../../src/core/music/tempo-map'
import { readWav } from '../../src/core/audio/wav-read'
import { mapOf } from '../../src/core/render/plan'
import type { Session } from '../../src/core/session/types'
import { toTarget } from '../../src/core/timing/time-map'
import { percentile } from '../support/measure'
import { test } from './kept'
import { act, analysed, saved, storedSessions, choose, focusTrack, type, unfold } from './setup'

async function openAt(page: Page, demo: string, tracks: number): Promise<void> {
  await page.goto('/')
  await page.getByTestId(`open-${demo}`).click()
  await analysed(page, tracks)
}
const stored = async (page: Page): Promise<Session> => {
  await saved(page)
  return (await storedSessions(page))[0]!
}
const track = (page: Page, n: number) => focusTrack(page, n)
const bpm = (page: Page) => page.getByTestId('counted-bpm')

/** Distance of the click from every true eighth of the jig, ms. */
function clickErrors(s: Session): number[] {
  const truth: { beats: { time: number }[] } = JSON.parse(readFileSync('build/demo/reedcutters.json', 'utf8'))
  const map = mapOf(s, s.tracks[0]!.clips[0]!, s.recordings[0]!)
  const clicks = Array.from({ length: 40 }, (_, i) => barAt(s.meter, i)).flatMap((b) =>
    Array.from({ length: b.numerator }, (_, n) => beatToSeconds(s.tempo, b.start + (n * 4) / b.denominator)),
  )
  return truth.beats.map((b) => {
    const at = toTarget(map, b.time * s.sampleRate) / s.sampleRate
    return 1000 * Math.min(...clicks.map((c) => Math.abs(c - at)))
  })
}

test('the jig: another candidate, the grid to the music and back, the music to the grid, and following', async ({
  page,
}) => {
  await openAt(page, 'reedcutters', 2)
  await expect(page).toHaveURL(/\/tempo$/)
  // Dotted quarters, two to the bar, as it was played; another candidate counts in quarters, and there is a way back.
  await expect(bpm(page)).toHaveText(/^111\.[45]/)
  await expect(page.getByRole('region', { name: 'Tempo of this recording', exact: true })).toContainText(
    '♩. = 111.5',
  )
  await page.getByRole('button', { name: /^Use 167/ }).click()
  await expect(bpm(page)).toHaveText(/^167\./)
  await act(page, 'undo')
  await expect(bpm(page)).toHaveText(/^111\.[45]/)
  await act(page, 'grid-to-music')
  await expect(page.getByTestId('drift-words')).toHaveText(/half within \d ms/)
  const followed = await stored(page)
  expect(followed.meter).toEqual([{ bar: 0, numerator: 6, denominator: 8 }])
  const errors = clickErrors(followed)
  expect(percentile(errors, 0.5)).toBeLessThan(8)
  expect(percentile(errors, 0.95)).toBeLessThan(25)

  await act(page, 'undo')
  await type(page, 'BPM', '165')
  await choose(page, 'Which tracks', 'all tracks, guided by this')
  await act(page, 'music-to-grid')
  await expect(page.getByTestId('follows')).toHaveText(/follows/)
  const conformed = await stored(page)
  expect(conformed.tracks.map((t) => t.clips[0]!.base.kind)).toEqual(['beats', 'beats'])
  const placed = clickErrors(conformed)
  expect(percentile(placed, 0.5)).toBeLessThan(8)

  // A later tempo change: what follows is still on the grid.
  // The session counts dotted quarters now: 100 of them are 150 quarters.
  await type(page, 'BPM', '100')
  const slower = await stored(page)
  expect(slower.tempo).toEqual([{ beat: 0, bpm: 150 }])
  expect(percentile(clickErrors(slower), 0.5)).toBeLessThan(8)
  await act(page, 'release-clip')
  await expect(page.getByTestId('follows')).toHaveText(/own speed/)
})

test('while it plays, a change of the tempo map and its undoing are drawn too', async ({ page }) => {
  await openAt(page, 'reedcutters', 2)
  const words = page.getByTestId('drift-words')
  const before = (await words.textContent())!
  await act(page, 'grid-to-music')
  await expect(words).toHaveText(/half within \d ms/)
  await page.getByTestId('tempo-stage').click({ position: { x: 300, y: 120 } })
  const time = page.getByTestId('time')
  const stopped = (await time.textContent())!
  await act(page, 'play')
  await expect(time).not.toHaveText(stopped)
  await act(page, 'undo')
  await expect(words).toHaveText(before)
  await act(page, 'redo')
  await expect(words).toHaveText(/half within \d ms/)
})

test('beat 1 is said, half and double, whole tempo, known places that contradict each other', async ({
  page,
}) => {
  await openAt(page, 'odd-loops', 5)
  await expect(bpm(page)).toHaveText('87.30')
  await act(page, 'double-tempo')
  await expect(bpm(page)).toHaveText('174.60')
  await act(page, 'half-tempo')
  await act(page, 'half-tempo')
  await expect(bpm(page)).toHaveText('43.65')
  await act(page, 'count-as-found')
  await act(page, 'whole-bpm')
  await expect(bpm(page)).toHaveText('87.00')

  // The second stroke of the loop is chosen: the place goes onto its attack.
  const stage = page.getByTestId('tempo-stage')
  const box = (await stage.boundingBox())!
  await stage.click({ position: { x: box.width * 0.3, y: 150 } })
  await expect(page.getByTestId('chosen-place')).toBeVisible()
  await page.keyboard.press('b')
  const said = (await stored(page)).tracks[0]!.clips[0]!.count!
  expect(said.one).toBeGreaterThan(0)
  expect(said.held).toBe(87)

  // "This is bar 3 beat 1", then an earlier place said to be bar 9.
  await stage.click({ position: { x: box.width * 0.8, y: 150 } })
  await type(page, 'Number of the bar here', '3')
  await type(page, 'Number of the beat here', '1')
  await page.getByRole('button', { name: 'Set', exact: true }).click()
  await stage.click({ position: { x: box.width * 0.55, y: 150 } })
  await type(page, 'Number of the bar here', '9')
  await page.getByRole('button', { name: 'Set', exact: true }).click()
  await expect(page.getByTestId('count-error')).toHaveText(/take one of the two points out/)
  await page.getByRole('button', { name: 'Forget bar 9 beat 1' }).click()
  await expect(page.getByTestId('count-error')).toHaveCount(0)
})

test('a chosen place goes onto an attack or, away from them, onto a zero crossing', async ({ page }) => {
  await openAt(page, 'odd-loops', 5)
  const stage = page.getByTestId('tempo-stage')
  const box = (await stage.boundingBox())!
  const loop = readWav(readFileSync('build/demo/towpath-drums-87.3-bpm.wav')).audio.channels[0]!
  const truth = JSON.parse(readFileSync('build/demo/odd-loops.json', 'utf8'))
  const onsets: { time: number }[] = truth.tracks[0].onsets
  const kinds = new Set<string>()
  for (const share of [0.12, 0.19, 0.27, 0.34, 0.41]) {
    await stage.click({ position: { x: box.width * share, y: 150 } })
    await page.keyboard.press('b')
    const at = (await stored(page)).tracks[0]!.clips[0]!.count!.one!
    const attack = onsets.some((o) => Math.abs(o.time - at / 44100) < 0.002)
    kinds.add(attack ? 'attack' : 'crossing')
    if (!attack) expect(loop[at]! * loop[at - 1]!).toBeLessThanOrEqual(0)
  }
  expect([...kinds].sort()).toEqual(['attack', 'crossing'])
})

test('loops: a wrong stated tempo, a loop cut too long, fitting by typing and by dragging', async ({
  page,
}) => {
  await openAt(page, 'odd-loops', 5)
  await track(page, 1)
  await expect(page.getByTestId('stated')).toHaveText(/120 in the file name, which the music does not/)
  await expect(bpm(page)).toHaveText('112.60')
  await act(page, 'music-to-grid')
  await expect(page.getByLabel('Length in bars, beats and ticks')).toHaveValue('4 bars exactly')
  await track(page, 3)
  await expect(page.getByTestId('stated')).toHaveText(/half or double/)

  // Two bars of 94.1, and 30 ms of the next round.
  await track(page, 4)
  await type(page, 'Hold at', '94.1')
  await type(page, 'Bars', '2')
  await page.getByRole('button', { name: 'Trim' }).click()
  await expect(page.getByTestId('length-words')).toHaveText(/^2\.000 bars of its own count/)
  await page.getByRole('button', { name: 'Fit', exact: true }).click()
  await expect(page.getByLabel('Length in bars, beats and ticks')).toHaveValue('2 bars exactly')
  const length = page.getByLabel('Length in bars, beats and ticks')
  await length.fill('nonsense')
  await length.press('Enter')
  await expect(page.getByText(/is no length; type bars/)).toBeVisible()
  await length.fill('3.2.0')
  await length.press('Enter')
  await expect(length).toHaveValue('3 bars 2 beats')

  // The end of the first loop, dragged with Alt in the overview.
  const s = await stored(page)
  const overview = page.getByTestId('overview')
  const box = (await overview.boundingBox())!
  const ends = s.tracks.map(
    (t) =>
      mapOf(
        s,
        t.clips[0]!,
        s.recordings.find((r) => r.id === t.clips[0]!.recording)!,
      ).at(-1)!.target / s.sampleRate,
  )
  const last = Math.max(...ends)
  const at = (second: number): number => box.x + (0.03 + (0.94 * second) / last) * box.width
  await page.keyboard.down('Alt')
  for (let x = at(ends[0]!) - 14; x <= at(ends[0]!) + 14; x += 4) {
    await page.mouse.move(x, box.y + 5)
    await page.mouse.down()
    if (await page.getByTestId('fit').isVisible()) break
    await page.mouse.up()
  }
  await page.mouse.move(at(ends[0]! * 0.93), box.y + 5)
  await expect(page.getByTestId('fit')).toHaveText(/\d bars?.*, [\d.]+ %, played at ♩ = [\d.]+/)
  await page.mouse.up()
  await page.keyboard.up('Alt')
  expect((await stored(page)).tracks[0]!.clips[0]!.base.kind).toBe('beats')
})

test('the tempo map: a range, a ramp, drawing; out and in as a MIDI file', async ({ page }) => {
  await openAt(page, 'odd-loops', 5)
  await unfold(page, 'Tempo map')
  await unfold(page, 'Files')
  const stage = page.getByTestId('tempo-stage')
  const box = (await stage.boundingBox())!
  await page.mouse.move(box.x + 0.35 * box.width, box.y + 12)
  await page.mouse.down()
  await page.mouse.move(box.x + 0.55 * box.width, box.y + 12, { steps: 4 })
  await page.mouse.up()
  await type(page, 'Tempo there', '76')
  const ranged = await stored(page)
  expect(ranged.tempo.map((t) => t.bpm)).toEqual([100, 76, 100])
  await type(page, 'Ramp from', '76')
  await type(page, 'Ramp to', '90')
  await page.getByRole('button', { name: 'Set ramp' }).click()
  const ramped = await stored(page)
  expect(ramped.tempo.some((t) => t.ramp)).toBe(true)
  await page.getByRole('button', { name: 'Draw' }).click()
  await page.mouse.move(box.x + 0.7 * box.width, box.y + 0.8 * box.height)
  await page.mouse.down()
  await page.mouse.move(box.x + 0.72 * box.width, box.y + 0.7 * box.height, { steps: 3 })
  await page.mouse.up()
  const drawn = await stored(page)
  expect(drawn.tempo.length).toBeGreaterThan(ramped.tempo.length)

  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Tempo map, MIDI' }).click(),
  ])
  const bytes = readFileSync(await download.path())
  const { header } = new midi.Midi(bytes)
  for (const beat of [4, 8, 12, 16, 20])
    expect(header.ticksToSeconds(beat * header.ppq)).toBeCloseTo(beatToSeconds(drawn.tempo, beat), 3)
  const midiFile = page.getByTestId('midi-file').locator('input')
  await midiFile.setInputFiles({ name: 'no.mid', mimeType: 'audio/midi', buffer: Buffer.from('no') })
  await expect(page.getByText(/no Standard MIDI File/)).toBeVisible()
  await midiFile.setInputFiles({ name: 'map.mid', mimeType: 'audio/midi', buffer: bytes })
  await expect(page.getByTestId('undo-label')).toHaveText('Tempo map from a MIDI file')
  const back = await stored(page)
  for (const beat of [4, 8, 12, 16, 20])
    expect(beatToSeconds(back.tempo, beat)).toBeCloseTo(beatToSeconds(drawn.tempo, beat), 3)
})

test('tempos change in chosen bars only, and no bar outside moves', async ({ page }) => {
  await openAt(page, 'odd-loops', 5)
  await unfold(page, 'Tempo map')
  const stage = page.getByTestId('tempo-stage')
  const box = (await stage.boundingBox())!
  const select = async (from: number, to: number): Promise<void> => {
    await page.mouse.move(box.x + from * box.width, box.y + 12)
    await page.mouse.down()
    await page.mouse.move(box.x + to * box.width, box.y + 12, { steps: 4 })
    await page.mouse.up()
  }
  await select(0.25, 0.75)
  await page.getByText('Change only these bars').locator('xpath=..').locator('.el-switch').click()
  await expect(page.getByText(/^Only bars \d+ to \d+ change$/)).toBeVisible()
  await type(page, 'Tempo there', '112')
  await expect(page.getByText(/can only be their average, 100 BPM/)).toBeVisible()
  await select(0.45, 0.5)
  await type(page, 'Tempo there', '112')
  const { tempo } = await stored(page)
  const [slower, faster, slowerAgain, after] = tempo.slice(1) as typeof tempo
  expect([tempo[0]!.bpm, faster!.bpm, after!.bpm]).toEqual([100, 112, 100])
  expect(slower!.bpm).toBeLessThan(100)
  expect(slowerAgain!.bpm).toBeCloseTo(slower!.bpm, 9)
  expect(beatToSeconds(tempo, after!.beat)).toBeCloseTo((after!.beat * 60) / 100, 6)
})

test('the click check plays the start, the middle and the end with the click, and stops when asked', async ({
  page,
}) => {
  await openAt(page, 'odd-loops', 5)
  await unfold(page, 'Click')
  await page.getByRole('button', { name: 'Click check' }).first().click()
  await expect(page.getByText('Stop (start)')).toBeVisible()
  await expect(page.getByText('Stop (middle)')).toBeVisible()
  await expect(page.getByText('Stop (end)')).toBeVisible()
  await page.getByText('Stop (end)').click()
  await expect(page.getByText('Check start, middle, end')).toBeVisible()
  await expect(page.locator('[data-action="play"]')).toHaveText('Play')
})
