// The server's headers, files and its word when the port is taken.
import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import type { Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { serverApp } from './app'

let folder: string
let server: Server
let base: string

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'unwarp-server-'))
  for (const d of ['app/assets', 'demo']) mkdirSync(join(folder, d), { recursive: true })
  writeFileSync(join(folder, 'app/index.html'), '<title>Unwarp</title>')
  writeFileSync(join(folder, 'app/assets/a.js'), '1')
  writeFileSync(join(folder, 'demo/x.json'), '{}')
  server = serverApp(folder).listen(0, '127.0.0.1')
  await new Promise((done) => server.once('listening', done))
  base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
})
afterAll(() => {
  server.close()
  rmSync(folder, { recursive: true, force: true })
})

describe('the server', () => {
  it('isolates the page and limits what it may load', async () => {
    const { headers } = await fetch(base)
    expect(headers.get('cross-origin-opener-policy')).toBe('same-origin')
    expect(headers.get('cross-origin-embedder-policy')).toBe('require-corp')
    expect(headers.get('content-security-policy')).toMatch(/default-src 'self'.*object-src 'none'/)
    expect(headers.get('content-security-policy')).not.toMatch(/script-src[^;]*unsafe-inline/)
    expect(headers.get('x-powered-by')).toBeNull()
  })

  it('serves the application at every place in it, and files as they are', async () => {
    for (const path of ['/', '/session/abc/timing'])
      expect(await (await fetch(base + path)).text()).toContain('Unwarp')
    expect(await (await fetch(`${base}/demo/x.json`)).json()).toEqual({})
    expect((await fetch(`${base}/assets/a.js`)).headers.get('cache-control')).toContain('immutable')
    for (const path of ['/demo/none.wav', '/assets/none.js'])
      expect((await fetch(base + path)).status).toBe(404)
  })

  it('says in a sentence that its port is taken', () => {
    const { port } = server.address() as AddressInfo
    const run = spawnSync(process.execPath, ['--import', 'tsx', 'src/server/main.ts'], {
      encoding: 'utf8',
      env: { ...process.env, PORT: String(port) },
    })
    expect(run.status).toBe(1)
    expect(run.stderr).toMatch(new RegExp(`^Port ${port} is taken by another program; .+\\.\\n$`))
  })
})
