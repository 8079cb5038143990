// Starts the server on PORT, or 4173.
import path from 'node:path'
import { serverApp } from './app'

const port = Number(process.env.PORT ?? 4173)
if (!Number.isInteger(port) || port < 0 || port > 65535) {
  process.stderr.write(`PORT is “${process.env.PORT}”; it must be a number from 0 to 65535.\n`)
  process.exit(2)
}

const server = serverApp(path.resolve('build')).listen(port, '127.0.0.1', (error?: Error) => {
  if (!error) {
    const address = server.address()
    const bound = typeof address === 'object' && address ? address.port : port
    process.stdout.write(`Unwarp runs at http://127.0.0.1:${bound}\n`)
    return
  }
  const taken = (error as NodeJS.ErrnoException).code === 'EADDRINUSE'
  process.stderr.write(
    taken
      ? `Port ${port} is taken by another program; stop that one or choose another, for example PORT=${port + 1} npm run demo.\n`
      : `The server cannot listen on port ${port}: ${error.message}.\n`,
  )
  process.exit(1)
})
