// Whole sessions out to a file and back: document, recordings and findings.
import { useRouter } from 'vue-router'
import { InputError } from '../../core/errors'
import { fileName, isZip, LARGEST_SESSION, SESSION_ENDING } from '../../core/formats/session-file'
import { newHistory } from '../../core/session/history'
import { proxy } from '../../engine/workers/pool'
import { useMedia } from '../stores/media'
import { useMessages } from '../stores/messages'
import { library, pack, pool } from '../stores/services'
import { useSession } from '../stores/session'
import { useTasks } from '../stores/tasks'
import { download } from './download'

/** Session files among others, told by their first bytes and not by their names. */
export async function sessionFilesAmong(
  files: readonly File[],
): Promise<{ sessions: File[]; others: File[] }> {
  const zipped = await Promise.all(
    files.map(async (f) => isZip(new Uint8Array(await f.slice(0, 4).arrayBuffer()))),
  )
  return { sessions: files.filter((_, i) => zipped[i]), others: files.filter((_, i) => !zipped[i]) }
}

/** Does something with a file; an error about it begins with its name. */
async function naming<T>(name: string, work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (e) {
    if (e instanceof InputError) throw new InputError(`“${name}”: ${e.message}`)
    throw e
  }
}

export function useSessionFiles() {
  const store = useSession()
  const media = useMedia()
  const messages = useMessages()
  const tasks = useTasks()
  const router = useRouter()

  /** Saves the open session with all that it needs as one file. */
  async function save(): Promise<void> {
    const session = store.session!
    const ids = session.recordings.map((r) => r.id)
    const known = <T, U>(from: ReadonlyMap<string, T>, as: (held: T) => U): Map<string, U> =>
      new Map(ids.flatMap((id) => (from.has(id) ? [[id, as(from.get(id)!)]] : [])))
    const contents = {
      session,
      recordings: known(media.media, (m) => m.audio),
      findings: known(media.findings, (f) => f),
    }
    const file = await tasks.run(`Writing “${session.name}${SESSION_ENDING}”`, (progress, signal) =>
      pool.run((w, flag) => w.writeSession(contents, flag, proxy(progress)), signal),
    )
    download(`${fileName(session.name)}${SESSION_ENDING}`, file, 'application/zip')
  }

  /** Puts a file's session on the shelf and opens it; one that is there already is left as it is. */
  async function open(file: File): Promise<void> {
    const { session, recordings, findings } = await naming(file.name, () => {
      if (file.size > LARGEST_SESSION)
        throw new InputError('The file is larger than 2 GB, which no session file is; choose another.')
      return tasks.run(`Opening “${file.name}”`, (progress, signal) =>
        pool.run((w, flag) => w.readSession(file, flag, proxy(progress)), signal),
      )
    })
    const kept = await library
    for (const [id, audio] of recordings) await kept.keepRecording(id, audio, pack)
    for (const [id, found] of findings) await kept.keepFindings(id, found)
    const taken = await kept.knows(session.id)
    const id = taken ? crypto.randomUUID().slice(0, 8) : session.id
    await kept.save(newHistory({ ...session, id }), [])
    if (taken) messages.say(`“${session.name}” was on the shelf already; this is a second session.`)
    await router.push(`/session/${id}/timing`)
  }

  return { save, open }
}
