// `render`: a session file's mix and one stem a track, block by block.
import { join } from 'node:path'
import { analyse } from '../core/analysis/analyse'
import type { Transient } from '../core/analysis/transients'
import type { AudioData } from '../core/audio/buffer'
import { resample } from '../core/audio/resample'
import { encodeSamples, wavHeader } from '../core/audio/wav-write'
import { loadFft } from '../core/dsp/fft'
import { InputError } from '../core/errors'
import { fileName, isZip, readSessionFile, type SessionContents } from '../core/formats/session-file'
import { peakOf } from '../core/render/levels'
import { mixRange, piecesIn } from '../core/render/mix'
import { renderPiece } from '../core/render/piece'
import { planSession, type Plan } from '../core/render/plan'
import { makeFolder, openForWriting, readBytes } from './files'
import { readOptions } from './options'
import { Stopwatch, warnOfClipping } from './report'

const BLOCK = 65536

interface Output {
  /** Without folder and ending. */
  readonly name: string
  readonly plan: Plan
}

function opened(path: string): SessionContents {
  const bytes = readBytes(path)
  if (!isZip(bytes))
    throw new InputError(`“${path}” is no session file; save one with “Save as a file” in Unwarp.`)
  try {
    return readSessionFile(bytes)
  } catch (e) {
    if (e instanceof InputError) throw new InputError(`“${path}”: ${e.message}`)
    throw e
  }
}

/** The mix first, then every track; a name that was used already gets a number. */
function outputsOf(
  { session }: SessionContents,
  transients: (id: string) => readonly Transient[],
): readonly Output[] {
  const used = new Set<string>()
  const unique = (name: string): string => {
    let free = name
    for (let n = 2; used.has(free.toLowerCase()); n++) free = `${name} ${n}`
    used.add(free.toLowerCase())
    return free
  }
  return [
    { name: unique(fileName(session.name)), plan: planSession(session, transients, { quality: 'fine' }) },
    ...session.tracks.map((t) => ({
      name: unique(fileName(`${session.name} ${t.name}`)),
      plan: planSession(session, transients, { quality: 'fine', tracks: [t.id] }),
    })),
  ]
}

/** Renders a session file with Fine quality: the same samples that the application plays and exports. */
export async function render(args: string[]): Promise<void> {
  const { options, files } = readOptions(args, ['bits'], ['<session file>', '<out folder>'])
  const bits = options.bits ?? '24'
  const contents = opened(files[0]!)
  const { session, recordings, findings } = contents
  await loadFft()
  const watch = new Stopwatch()
  const transients = new Map<string, readonly Transient[]>()
  const fitted = new Map<string, AudioData>()
  watch.measure(() => {
    for (const r of session.recordings) {
      const audio = recordings.get(r.id)!
      const found = findings.get(r.id) ?? analyse(audio.channels, audio.sampleRate, r.stated)
      transients.set(r.id, found.transients)
      fitted.set(r.id, resample(audio, session.sampleRate))
    }
  })
  const outputs = outputsOf(contents, (id) => transients.get(id)!)
  const { start, end, sampleRate } = outputs[0]!.plan
  if (end <= start) throw new InputError('This session holds nothing to render; add a recording first.')
  makeFolder(files[1]!)
  const made = outputs.map(({ name, plan }) => {
    const file = openForWriting(join(files[1]!, `${name}.wav`))
    file.write(wavHeader(plan.channels, sampleRate, end - start, bits))
    return { name, plan, file, peak: 0, bytes: 0 }
  })
  let pieces = new Map<string, Float32Array[]>()
  for (let at = start; at < end; at += BLOCK) {
    const to = Math.min(end, at + BLOCK)
    const here = new Map<string, Float32Array[]>()
    for (const { plan } of made)
      for (const p of piecesIn(plan, at, to))
        if (!here.has(p.key))
          here.set(p.key, pieces.get(p.key) ?? watch.measure(() => renderPiece(p, (id) => fitted.get(id)!)))
    pieces = here
    for (const m of made) {
      const mixed = mixRange(m.plan, (p) => pieces.get(p.key), at, to)!
      const bytes = encodeSamples(mixed, bits, at - start)
      m.peak = Math.max(m.peak, peakOf(mixed))
      m.bytes += bytes.length
      m.file.write(bytes)
    }
  }
  for (const m of made) {
    m.file.write(new Uint8Array(m.bytes & 1))
    m.file.close()
    warnOfClipping(`“${m.name}.wav”`, m.peak, bits)
  }
  watch.reportSeconds((end - start) / sampleRate)
}
