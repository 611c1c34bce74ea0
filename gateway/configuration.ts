import { createHash } from 'node:crypto'
import { readFileSync, renameSync } from 'node:fs'
import { ConfigurationError } from '../core/runtime/config-values'
import { routesOf } from '../core/runtime/read'
import { readResources } from '../core/runtime/resources'
import { methodsOf } from '../core/runtime/policies/authenticate'
import { Router, type Route } from '../core/runtime/routes'
import { errorText } from '../core/text/values'
import { readAuthority } from './client-certificates'
import { writeDurably } from './durable'

interface Running {
  text: string
  etag: string
  router: Router
}

/** The configuration a gateway runs. A new one replaces it whole or not at all, and outlives the process. */
export class Configuration {
  private running: Running
  private generation = 0
  private readonly listeners: (() => void)[] = []

  /** `reserved` are addresses that no backend may have. */
  constructor(
    private readonly file: string,
    private readonly reserved: string[],
  ) {
    const kept = readKept(file)
    try {
      this.running = this.load(kept)
    } catch (error) {
      if (!(error instanceof ConfigurationError)) throw error
      // A gateway that ends at each start serves nobody and tells nobody: this one runs empty and can be written.
      renameSync(file, `${file}.refused`)
      console.error(`${file} is kept as ${file}.refused, since it was refused: ${error.message}`)
      this.running = this.load('')
    }
  }

  private load(text: string): Running {
    const digest = createHash('sha256').update(text).digest('hex').slice(0, 16)
    // A tag is never used again, so that a write that was long on its way cannot come to pass after a later one.
    const etag = `"${digest}-${this.generation++}"`
    const routes = routesOf(readResources(text), this.reserved)
    requireAuthorities(routes)
    return { text, etag, router: new Router(routes) }
  }

  get current(): Running {
    return this.running
  }

  /** Throws ConfigurationError and keeps what runs where the text is not a configuration. */
  replace(text: string): void {
    const next = this.load(text)
    writeDurably(this.file, text)
    this.running = next
    for (const listener of this.listeners) listener()
  }

  /** Calls back whenever another configuration runs. */
  onChange(listener: () => void): void {
    this.listeners.push(listener)
  }
}

/** An authority that is no certificate to the last byte would be found out by the first request. */
function requireAuthorities(routes: readonly Route[]): void {
  const seen = new Set<object>()
  for (const { policies, placement, host } of routes) {
    const { authentication } = policies
    if (!authentication || seen.has(authentication)) continue
    seen.add(authentication)
    for (const method of methodsOf(authentication))
      if (method.kind === 'client-certificate')
        try {
          readAuthority(method.authority)
        } catch (error) {
          throw new ConfigurationError(
            `The authority of client certificates at ${placement || host} is not readable: ${errorText(error)}`,
          )
        }
  }
}

function readKept(file: string): string {
  try {
    return readFileSync(file, 'utf8')
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'ENOENT') throw error
    return ''
  }
}
