import { createHash } from 'node:crypto'
import { readFileSync, renameSync, writeFileSync } from 'node:fs'
import { readResources, routesOf } from '../core/routing/resources'
import { Router, type Route } from '../core/routing/routes'

interface Running {
  text: string
  etag: string
  routes: Route[]
  router: Router
}

const load = (text: string): Running => {
  const routes = routesOf(readResources(text))
  const etag = `"${createHash('sha256').update(text).digest('hex').slice(0, 16)}"`
  return { text, etag, routes, router: new Router(routes) }
}

/** The configuration a gateway runs. A new one replaces it whole or not at all, and outlives the process. */
export class Configuration {
  private running: Running

  constructor(private readonly file: string) {
    let text = ''
    try {
      text = readFileSync(file, 'utf8')
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error
    }
    this.running = load(text)
  }

  get current(): Running {
    return this.running
  }

  /** Throws ConfigurationError and keeps what runs where the text is not a configuration. */
  replace(text: string): void {
    const next = load(text)
    const half = `${this.file}.new`
    writeFileSync(half, text)
    renameSync(half, this.file)
    this.running = next
  }
}
