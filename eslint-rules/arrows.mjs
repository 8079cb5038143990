// Lint rule: imports follow the arrows of the architecture (app → engine → core; cli → core; rooms of core downwards).
import path from 'node:path'

/** What each room may import besides itself; the longest matching prefix names a file's room. */
const MAY_IMPORT = {
  'src/core': [],
  'src/core/dsp': ['src/core'],
  'src/core/audio': ['src/core', 'src/core/dsp'],
  'src/core/music': ['src/core'],
  'src/core/analysis': ['src/core', 'src/core/dsp', 'src/core/music', 'src/core/audio'],
  'src/core/timing': ['src/core', 'src/core/music'],
  'src/core/stretch': ['src/core', 'src/core/dsp', 'src/core/audio', 'src/core/analysis', 'src/core/timing'],
  'src/core/session': [
    'src/core',
    'src/core/music',
    'src/core/timing',
    'src/core/stretch',
    'src/core/analysis',
  ],
  'src/core/render': [
    'src/core',
    'src/core/dsp',
    'src/core/audio',
    'src/core/music',
    'src/core/analysis',
    'src/core/timing',
    'src/core/stretch',
    'src/core/session',
  ],
  'src/core/formats': [
    'src/core',
    'src/core/audio',
    'src/core/music',
    'src/core/analysis',
    'src/core/timing',
    'src/core/session',
  ],
  'src/engine': ['src/core/*', 'src/core'],
  'src/app': ['src/engine', 'src/core/*', 'src/core'],
  'src/cli': ['src/core/*', 'src/core'],
  'src/server': [],
}

const ROOMS = Object.keys(MAY_IMPORT).sort((a, b) => b.length - a.length)
const roomOf = (file) => ROOMS.find((room) => file === room || file.startsWith(room + '/'))

const permits = (from, to) =>
  from === to ||
  MAY_IMPORT[from].some((room) => (room.endsWith('/*') ? to.startsWith(room.slice(0, -1)) : room === to))

export default {
  meta: {
    type: 'problem',
    schema: [],
    messages: { up: '{{from}} may not import from {{to}} (architecture: arrows point down).' },
  },
  create(context) {
    const file = path.relative(context.cwd, context.filename).split(path.sep).join('/')
    const from = roomOf(file)
    // Tests stand beside what they test and may reach for anything in core to check it from outside.
    if (!from || (/\.test\.ts$/.test(file) && file.startsWith('src/core'))) return {}
    const check = (node) => {
      const source = node.source?.value
      if (typeof source !== 'string' || !source.startsWith('.')) return
      const target = path.posix.normalize(path.posix.join(path.posix.dirname(file), source))
      const to = roomOf(target)
      if (to && !permits(from, to)) context.report({ node: node.source, messageId: 'up', data: { from, to } })
    }
    return {
      ImportDeclaration: check,
      ExportNamedDeclaration: check,
      ExportAllDeclaration: check,
      ImportExpression: check,
    }
  },
}
