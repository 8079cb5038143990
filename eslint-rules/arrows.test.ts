// The import-direction rule says no to every arrow that points up, and yes to those that point down.
import { Linter } from 'eslint'
import { describe, expect, it } from 'vitest'
import arrows from './arrows.mjs'

const complaints = (file: string, source: string): number =>
  new Linter({ cwd: '/work' }).verify(
    `import x from '${source}'`,
    [{ files: ['**/*.ts'], plugins: { unwarp: { rules: { arrows } } }, rules: { 'unwarp/arrows': 'error' } }],
    { filename: `/work/${file}` },
  ).length

describe('imports', () => {
  it.each([
    ['src/core/dsp/fft.ts', '../analysis/transients'],
    ['src/core/music/grid.ts', '../session/types'],
    ['src/core/stretch/hits.ts', '../render/plan'],
    ['src/core/render/mix.ts', '../../engine/export'],
    ['src/engine/export.ts', '../app/stores/session'],
    ['src/cli/main.ts', '../engine/export'],
    ['src/core/errors.ts', './session/types'],
  ])('%s may not import %s', (file, source) => expect(complaints(file, source)).toBe(1))

  it.each([
    ['src/core/render/plan.ts', '../stretch/spans'],
    ['src/core/analysis/transients.ts', '../dsp/fft'],
    ['src/engine/export.ts', '../core/render/mix'],
    ['src/app/stores/session.ts', '../../engine/export'],
    ['src/cli/main.ts', '../core/errors'],
    ['src/app/main.ts', 'vue'],
  ])('%s may import %s', (file, source) => expect(complaints(file, source)).toBe(0))
})
