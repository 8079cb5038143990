// What takes hours to make is kept as it is made, in build/fit: a fit that was interrupted goes on where it was.
import { createHash } from 'node:crypto'
import {
  closeSync,
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import path from 'node:path'
import { deserialize, serialize } from 'node:v8'

const TAKEN = '.taken'

/** What a source file takes from others of ours. */
const TAKES = /\b(?:from|import) '(\.[^']*)'/g

/** A source file and all of ours that it is made of, in no order that depends on where they are. */
function sourcesOf(entries: readonly string[]): string[] {
  const found = new Set<string>()
  const add = (file: string): void => {
    if (found.has(file)) return
    found.add(file)
    for (const [, taken] of readFileSync(file, 'utf8').matchAll(TAKES))
      add(`${path.resolve(path.dirname(file), taken!)}.ts`)
  }
  entries.forEach(add)
  return [...found]
}

/**
 * The sources that something is made by, as one word: what was made by others is not used again.
 *
 * @param entries files that, with what they import, make it
 */
export function wordOf(entries: readonly string[]): string {
  const hash = createHash('sha256')
  for (const file of sourcesOf(entries)) hash.update(readFileSync(file))
  return hash.digest('hex').slice(0, 12)
}

/** A folder of things by name. */
export class Kept<T> {
  constructor(private readonly folder: string) {
    mkdirSync(folder, { recursive: true })
  }

  private at(name: string): string {
    return path.join(this.folder, name)
  }

  has(name: string): boolean {
    return existsSync(this.at(name))
  }

  /** @throws Error when there is none */
  get(name: string): T {
    return deserialize(readFileSync(this.at(name))) as T
  }

  /** Makes what is neither there nor being made by another process. @returns whether it did */
  make(name: string, how: () => T): boolean {
    const taken = this.at(name + TAKEN)
    try {
      closeSync(openSync(taken, 'wx'))
    } catch {
      return false
    }
    try {
      // Looked at only now: it may just have been finished.
      if (this.has(name)) return false
      // Half a file must never have the name of a whole one.
      writeFileSync(taken, serialize(how()))
      renameSync(taken, this.at(name))
      return true
    } finally {
      rmSync(taken, { force: true })
    }
  }

  /** Gives up what processes that are no more had taken; to be called while none is at work. */
  release(): void {
    for (const f of readdirSync(this.folder)) if (f.endsWith(TAKEN)) rmSync(this.at(f))
  }
}
