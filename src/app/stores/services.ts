// The engine's single instances: one pool of workers, one library, one renderer, one playback.
import type { AudioData } from '../../core/audio/buffer'
import { openDatabase } from '../../engine/storage/database'
import { Library, type Pack } from '../../engine/storage/library'
import { Playback } from '../../engine/playback/playback'
import { WorkerPool } from '../../engine/workers/pool'
import { Renderer } from '../../engine/workers/renderer'

/** Recordings at the rate of the open session; filled by the media store. */
export const sessionAudio = new Map<string, AudioData>()

export const pool = new WorkerPool()
/** Packs recordings for the library in a worker. */
export const pack: Pack = (channels) => pool.run((w) => w.pack(channels))
export const renderer = new Renderer(pool, (id) => sessionAudio.get(id))
export const playback = new Playback(renderer)
export const library: Promise<Library> = openDatabase().then((db) => new Library(db))

renderer.onArrival = () => playback.again()
// Once the page has settled; the first dropped file then finds the workers ready.
setTimeout(() => pool.warm(), 200)
