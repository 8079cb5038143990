// The small picture of a session on the shelf: one outline a track.
import { readPeaks } from '../../core/audio/peaks'
import { mapOf } from '../../core/render/plan'
import type { Session } from '../../core/session/types'
import { toSource } from '../../core/timing/time-map'
import type { Media } from '../stores/media'

const COLUMNS = 120

/**
 * Outlines of all tracks over the session's length.
 *
 * @returns for each track the largest level (0-1) of each of 120 even slices
 */
export function pictureOf(session: Session, media: ReadonlyMap<string, Media>): number[][] {
  const maps = session.tracks.map((t) =>
    t.clips.flatMap((c) => {
      const recording = session.recordings.find((r) => r.id === c.recording)
      const found = media.get(c.recording)
      return recording && found ? [{ map: mapOf(session, c, recording), recording, found }] : []
    }),
  )
  const all = maps.flat()
  const start = Math.min(0, ...all.map((m) => m.map[0]!.target))
  const end = Math.max(1, ...all.map((m) => m.map[m.map.length - 1]!.target))
  return maps.map((clips) => {
    const out = new Array<number>(COLUMNS).fill(0)
    for (const { map, recording, found } of clips)
      for (let c = 0; c < COLUMNS; c++) {
        const at = start + ((end - start) * c) / COLUMNS
        if (at < map[0]!.target || at > map[map.length - 1]!.target) continue
        const scale = recording.sampleRate / session.sampleRate
        const from = toSource(map, at) * scale
        const step = Math.max(1, ((end - start) / COLUMNS) * scale)
        for (const [i, p] of found.peaks.entries()) {
          const [lo, hi] = readPeaks(p, found.audio.channels[i], from, step, new Float32Array(2))
          out[c] = Math.max(out[c]!, -lo!, hi!)
        }
      }
    return out.map((v) => Math.round(Math.min(1, v) * 100) / 100)
  })
}
