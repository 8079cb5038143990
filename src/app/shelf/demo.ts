// The demo sessions: fetched from the server, brought in like any files, its tempo set.
import { object, array, number, string, type InferType } from 'yup'
import { Cancelled, InputError } from '../../core/errors'
import { DEFAULT_METHOD, newSession, newTrack } from '../../core/session/create'
import { addTrack, setMeter, setTempo } from '../../core/session/edits'
import { newHistory } from '../../core/session/history'
import { METHOD_NAMES } from '../../core/stretch/types'
import { beats } from '../../core/units'
import type { Recording } from '../../core/session/types'
import { decodeFile, type Imported } from '../../engine/import/decode'
import { recordingOf } from '../frame/import-files'
import { library, pack, pool } from '../stores/services'

const truthSchema = object({
  name: string().required(),
  desk: string().oneOf(['tempo', 'timing']).required(),
  bpm: number().required(),
  meter: array(number().required()).length(2).required(),
  preRoll: number().required(),
  sampleRate: number().required(),
  tracks: array(
    object({
      name: string().required(),
      file: string().required(),
      method: string().oneOf(METHOD_NAMES).required(),
    }),
  ).required(),
})
const pictureSchema = object({ picture: array(array(number().required()).required()).required() })
type Truth = InferType<typeof truthSchema>

async function fetched(path: string): Promise<Response> {
  const response = await fetch(path).catch(() => undefined)
  if (!response?.ok)
    throw new InputError('The demo files are not on this server; start it with “npm run demo”.')
  return response
}

export interface Demo {
  /** Name of its files on the server. */
  readonly file: string
  readonly name: string
  /** The one thing it lets one try. */
  readonly help: string
  /** Tracks, tempo and length, as on the cards of kept sessions. */
  readonly facts: string
}
export const DEMOS: readonly Demo[] = [
  {
    file: 'slack-water',
    name: 'Slack Water',
    help: 'A band plays to a click, loosely. Put the drum’s late third beats and the rushing cittern where they belong.',
    facts: '3 tracks · ♩ = 92 · 0:43',
  },
  {
    file: 'reedcutters',
    name: 'Reedcutters',
    help: 'A jig without a click. Find its tempo, and let the click follow the players or the players the click.',
    facts: '2 tracks · ♩. ≈ 111 · 0:37',
  },
  {
    file: 'odd-loops',
    name: 'Odd loops',
    help: 'Five loops in odd tempos: one says a wrong one, one half of it, one is cut too long. Make them fit.',
    facts: '5 tracks · 64 to 128 · 0:11',
  },
]

/** Levels of a demo's tracks for its card, as its makers wrote them beside the recordings. */
export async function demoPicture(demo: Demo): Promise<readonly (readonly number[])[]> {
  const truth = await (await fetched(`/demo/${demo.file}.json`)).json()
  return pictureSchema.validateSync(truth).picture
}

/**
 * Puts a demo session on the shelf under an id of its own.
 *
 * @param bring is given every recording once the session is kept: it need not be read back
 * @returns the desk it is for
 * @throws InputError when the server has no demo files, Cancelled when the signal fires
 */
export async function fetchDemo(
  demo: Demo,
  id: string,
  progress: (done: number) => void,
  signal: AbortSignal,
  bring: (recording: Recording, imported: Imported) => void,
): Promise<string> {
  const truth: Truth = truthSchema.validateSync(await (await fetched(`/demo/${demo.file}.json`)).json())
  const kept = await library
  let done = 0
  const brought = await Promise.all(
    truth.tracks.map(async (t) => {
      const blob = await (await fetched(`/demo/${t.file}`)).blob()
      if (signal.aborted) throw new Cancelled()
      const imported = await decodeFile(new File([blob], `${t.name}.wav`), pool)
      await kept.keepRecording(imported.id, imported.audio, pack, imported.file)
      progress(++done / truth.tracks.length)
      return { recording: recordingOf(`${t.name}.wav`, imported), imported }
    }),
  )
  if (signal.aborted) throw new Cancelled()
  const place = beats((-truth.preRoll * truth.bpm) / 60)
  const laid = brought.reduce(
    (session, { recording }, i) => {
      const method = { ...DEFAULT_METHOD, method: truth.tracks[i]!.method }
      return addTrack(session, recording, newTrack(`${id}-${i}`, recording, place, method))
    },
    newSession(id, truth.name, truth.sampleRate),
  )
  const session = setMeter(setTempo(laid, truth.bpm), truth.meter[0]!, truth.meter[1]!)
  await kept.save(newHistory(session), [])
  for (const { recording, imported } of brought) bring(recording, imported)
  return truth.desk
}
