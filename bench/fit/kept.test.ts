// What is kept between fits: made once, by one of several, never half of it.
import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { afterEach, beforeEach, describe, expect, it } from 'vitest'
import { Kept, wordOf } from './kept'

let folder = ''
beforeEach(() => {
  folder = mkdtempSync(path.join(tmpdir(), 'unwarp-kept-'))
})
afterEach(() => {
  rmSync(folder, { recursive: true, force: true })
})

describe('what is kept between fits', () => {
  it('is made once and comes back as it was, even where an array is part of a longer one', () => {
    const kept = new Kept<{ x: Float32Array; right: number[] }>(folder)
    const x = Float32Array.of(1, 2, 3, 4).subarray(1, 3)
    expect(kept.make('one', () => ({ x, right: [0, 1] }))).toBe(true)
    expect(kept.make('one', () => ({ x, right: [] }))).toBe(false)
    expect(kept.get('one')).toEqual({ x: Float32Array.of(2, 3), right: [0, 1] })
  })

  it('is left to whoever is making it, and free again when that has failed or is no more', () => {
    const [mine, theirs] = [new Kept<number>(folder), new Kept<number>(folder)]
    mine.make('one', () => {
      expect(theirs.make('one', () => 2)).toBe(false)
      expect(theirs.has('one')).toBe(false)
      return 1
    })
    expect(theirs.get('one')).toBe(1)
    const failing = (): number => {
      throw new Error('no')
    }
    expect(() => mine.make('two', failing)).toThrow('no')
    expect(theirs.make('two', () => 2)).toBe(true)
    writeFileSync(path.join(folder, 'three.taken'), '')
    expect(mine.make('three', () => 3)).toBe(false)
    mine.release()
    expect(mine.make('three', () => 3)).toBe(true)
    expect(readdirSync(folder).sort()).toEqual(['one', 'three', 'two'])
  })

  it('belongs to the sources it was made by and those they import, wherever they are', () => {
    const of = (root: string, taken: string, other: string): string => {
      mkdirSync(path.join(folder, root, 'a'), { recursive: true })
      writeFileSync(
        path.join(folder, root, 'one.ts'),
        "import { x } from './a/two'\nimport fs from 'node:fs'\n",
      )
      writeFileSync(path.join(folder, root, 'a/two.ts'), `import type { y } from '../one'\n${taken}`)
      writeFileSync(path.join(folder, root, 'a/three.ts'), other)
      return wordOf([path.join(folder, root, 'one.ts')])
    }
    expect(of('x', '1', '1')).toBe(of('y', '1', '2'))
    expect(of('x', '1', '1')).not.toBe(of('y', '2', '1'))
  })
})
