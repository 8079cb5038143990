// Compiles the inner loops to WebAssembly and writes them as a module: npm run kernels.
import { writeFileSync } from 'node:fs'
import path from 'node:path'
import { fileURLToPath } from 'node:url'
import asc from 'assemblyscript/asc'

const folder = path.join(path.dirname(path.dirname(fileURLToPath(import.meta.url))), 'src/core/dsp/kernels')

/** The compiled module. @throws Error with the compiler's messages */
export async function compileKernels(): Promise<Uint8Array> {
  let binary: Uint8Array | undefined
  const { error, stderr } = await asc.main(
    ['assembly/index.ts', '--outFile', 'kernels.wasm', '--runtime', 'stub', '--importMemory', '-O3'].concat([
      '--noAssert',
      '--converge',
      '--enable',
      'simd',
      '--use',
      'abort=',
      '--baseDir',
      folder,
    ]),
    { writeFile: (_name: string, contents: string | Uint8Array) => void (binary = contents as Uint8Array) },
  )
  if (error || !binary) throw new Error(`${error?.message}\n${stderr.toString()}`)
  return binary
}

/** The text of the module that holds it. */
export const kernelsModule = (binary: Uint8Array): string =>
  `// Compiled from assembly/ by \`npm run kernels\`; not written by hand.\nexport const BINARY =\n  '${Buffer.from(binary).toString('base64')}'\n`

if (process.argv[1] === fileURLToPath(import.meta.url)) {
  const binary = await compileKernels()
  writeFileSync(path.join(folder, 'binary.ts'), kernelsModule(binary))
  process.stdout.write(`${binary.length} bytes of WebAssembly\n`)
}
