import { createHash } from 'node:crypto'
import { closeSync, fsyncSync, openSync, readFileSync, renameSync, writeFileSync } from 'node:fs'
import { ConfigurationError, readResources, routesOf } from '../core/routing/resources'
import { Router } from '../core/routing/routes'

interface Running {
  text: string
  etag: string
  router: Router
}

/** The configuration a gateway runs. A new one replaces it whole or not at all, and outlives the process. */
export class Configuration {
  private running: Running
  private generation = 0

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
    return { text, etag, router: new Router(routesOf(readResources(text), this.reserved)) }
  }

  get current(): Running {
    return this.running
  }

  /** Throws ConfigurationError and keeps what runs where the text is not a configuration. */
  replace(text: string): void {
    const next = this.load(text)
    const half = `${this.file}.new`
    const written = openSync(half, 'w', 0o600)
    try {
      writeFileSync(written, text)
      fsyncSync(written)
    } finally {
      closeSync(written)
    }
    renameSync(half, this.file)
    this.running = next
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
