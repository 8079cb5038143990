// What the Timing desk says about a note, and where the demo's drum was played.
import type { Page } from '@playwright/test'
import { storedSessions, truth } from './setup'

export const drum = () =>
  truth().tracks[0]!.onsets.map((o) => ({ ...o, time: o.time - 0.5, intended: o.intended - 0.5 }))
export const place = (page: Page) => page.getByRole('textbox', { name: 'Sounds at' })
export const moved = async (page: Page): Promise<number> =>
  figure(await page.getByTestId('note-moved').innerText())
export const off = async (page: Page): Promise<number> =>
  figure(await page.getByTestId('note-off').innerText())
export const figure = (text: string): number => Number(text.replace('−', '-').replace(/[^-\d.]/g, ''))
export const counts = (page: Page) => page.getByTestId('quantize-counts')
export const pins = async (page: Page) => (await storedSessions(page))[0]!.tracks[0]!.clips[0]!.pins

/** Bar 5 beat 3 is the first that is 35 ms late on purpose. */
export const late = () => drum().find((o) => o.beat === 18)!
