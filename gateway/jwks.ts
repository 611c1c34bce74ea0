import { createLocalJWKSet, type JSONWebKeySet, type JWTVerifyGetKey } from 'jose'
import { request, type Dispatcher } from 'undici'
import { errorText } from '../core/text/values'

/** How old keys may be before they are asked for again, and before they are not trusted any more; in milliseconds. */
const fresh = 10 * 60_000
const oldest = 24 * 60 * 60_000
/** Somebody who sends tokens of keys that nobody knows does not make the gateway ask more often than this. */
const cooldown = 10_000
const timeoutMs = 3000
const mostBytes = 256 * 1024

/** The keys of an issuer cannot be had, so that nobody knows whether a token is good. */
export class KeysUnknown extends Error {}

/** The keys of one issuer (RFC 7517): kept for a while, asked for again when they are old or one is missing. */
export class IssuerKeys {
  private keys: { set: JWTVerifyGetKey; at: number; ids: Set<string> } | undefined
  private asked = 0
  private asking: Promise<void> | undefined
  private trouble = ''

  constructor(
    private readonly address: string,
    private readonly agent: Dispatcher,
    private readonly now: () => number = Date.now,
  ) {}

  /** A key for a token; throws {@link KeysUnknown} where there are none at hand. */
  readonly get: JWTVerifyGetKey = async (header, token) => {
    const { keys } = this
    const age = keys ? this.now() - keys.at : Infinity
    if (age > oldest) await this.ask()
    else if (header?.kid !== undefined && !keys!.ids.has(header.kid)) await this.ask()
    else if (age > fresh) void this.ask()
    if (!this.keys || this.now() - this.keys.at > oldest)
      throw new KeysUnknown(`The keys at ${this.address} cannot be read: ${this.trouble}`)
    return this.keys.set(header, token)
  }

  /** Asks once at a time, and not again right after. */
  private ask(): Promise<void> {
    if (this.asking) return this.asking
    if (this.now() - this.asked < cooldown) return Promise.resolve()
    this.asked = this.now()
    this.asking = this.fetch()
      .then((set) => {
        const ids = new Set(set.keys.flatMap(({ kid }) => kid ?? []))
        this.keys = { set: createLocalJWKSet(set), at: this.now(), ids }
      })
      .catch((error: unknown) => {
        this.trouble = errorText(error)
      })
      .finally(() => {
        this.asking = undefined
      })
    return this.asking
  }

  private async fetch(): Promise<JSONWebKeySet> {
    const { statusCode, body } = await request(this.address, {
      dispatcher: this.agent,
      headersTimeout: timeoutMs,
      bodyTimeout: timeoutMs,
      signal: AbortSignal.timeout(timeoutMs),
    })
    const chunks: Buffer[] = []
    let size = 0
    for await (const chunk of body as AsyncIterable<Buffer>) {
      size += chunk.length
      if (size > mostBytes) throw new Error('they are larger than 256 kB')
      chunks.push(chunk)
    }
    if (statusCode !== 200) throw new Error(`it answered ${statusCode}`)
    const set = JSON.parse(Buffer.concat(chunks).toString('utf8')) as JSONWebKeySet
    if (!Array.isArray(set?.keys)) throw new Error('it answered something else than keys')
    return set
  }
}
