// The server: the built application and the demo files, with the headers that workers and shared memory need.
import compression from 'compression'
import express, { type Express } from 'express'
import helmet from 'helmet'
import path from 'node:path'

/**
 * The Express application. It keeps no state.
 *
 * @param build folder with `app/` (the built application) and `demo/` (the demo recordings)
 */
export function serverApp(build: string): Express {
  const app = express()
  app.disable('x-powered-by')
  app.use(
    helmet({
      crossOriginOpenerPolicy: { policy: 'same-origin' },
      crossOriginEmbedderPolicy: { policy: 'require-corp' },
      crossOriginResourcePolicy: { policy: 'same-origin' },
      strictTransportSecurity: false,
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          'default-src': ["'self'"],
          // The FFT is WebAssembly.
          'script-src': ["'self'", "'wasm-unsafe-eval'"],
          'worker-src': ["'self'"],
          // Vue and Konva set styles on elements.
          'style-src': ["'self'", "'unsafe-inline'"],
          'img-src': ["'self'", 'data:', 'blob:'],
          'font-src': ["'self'"],
          'connect-src': ["'self'"],
          'object-src': ["'none'"],
          'base-uri': ["'none'"],
          'form-action': ["'none'"],
          'frame-ancestors': ["'none'"],
        },
      },
    }),
  )
  app.use(compression())
  app.use('/demo', express.static(path.join(build, 'demo'), { fallthrough: false }))
  app.use(
    '/assets',
    express.static(path.join(build, 'app', 'assets'), { immutable: true, maxAge: '1y', fallthrough: false }),
  )
  app.use(express.static(path.join(build, 'app')))
  // Every other path is a place inside the application.
  app.get('/{*place}', (_request, response) => response.sendFile(path.join(build, 'app', 'index.html')))
  return app
}
