// The demo session: fetched from the server, brought in like any files, its tempo set.
import { object, array, number, string, type InferType } from 'yup'
import { Cancelled, InputError } from '../../core/errors'
import { DEFAULT_METHOD, newSession, newTrack } from '../../core/session/create'
import { addTrack, setMeter, setTempo } from '../../core/session/edits'
import { newHistory } from '../../core/session/history'
import { METHOD_NAMES } from '../../core/stretch/types'
import { beats } from '../../core/units'
import { decodeFile } from '../../engine/import/decode'
import { recordingOf } from '../frame/import-files'
import { library, pack, pool } from '../stores/services'

const truthSchema = object({
  name: string().required(),
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
type Truth = InferType<typeof truthSchema>

async function fetched(path: string): Promise<Response> {
  const response = await fetch(path).catch(() => undefined)
  if (!response?.ok)
    throw new InputError('The demo files are not on this server; start it with “npm run demo”.')
  return response
}

/**
 * Puts the demo session on the shelf under an id of its own.
 *
 * @throws InputError when the server has no demo files, Cancelled when the signal fires
 */
export async function fetchDemo(
  id: string,
  progress: (done: number) => void,
  signal: AbortSignal,
): Promise<void> {
  const truth: Truth = truthSchema.validateSync(await (await fetched('/demo/slack-water.json')).json())
  const kept = await library
  let session = newSession(id, truth.name, truth.sampleRate)
  for (const [i, t] of truth.tracks.entries()) {
    progress(i / truth.tracks.length)
    if (signal.aborted) throw new Cancelled()
    const blob = await (await fetched(`/demo/${t.file}`)).blob()
    const imported = await decodeFile(new File([blob], `${t.name}.wav`), pool)
    await kept.keepRecording(imported.id, imported.audio, pack)
    const recording = recordingOf(`${t.name}.wav`, imported)
    const method = { ...DEFAULT_METHOD, method: t.method }
    const place = beats((-truth.preRoll * truth.bpm) / 60)
    session = addTrack(session, recording, newTrack(`${id}-${i}`, recording, place, method))
  }
  session = setMeter(setTempo(session, truth.bpm), truth.meter[0]!, truth.meter[1]!)
  await kept.save(newHistory(session), [])
}
