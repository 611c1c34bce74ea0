import type { Edition } from '../core/rules/model'
import { clientOver, type Outgoing } from '../shared/client/client'
import { WrongUse } from './files'

export interface ServerOptions {
  server?: string
  token?: string
  team?: string
}

/** A client of a server, by the token that is given or stands in the environment. */
export function serverClient({ server, token }: ServerOptions) {
  const secret = token ?? process.env['ELM_LEDGER_TOKEN']
  if (secret === undefined) {
    throw new WrongUse('--server takes a token: --token, or ELM_LEDGER_TOKEN in the environment.')
  }
  const base = URL.parse(server ?? '')
  if (!base || !/^https?:$/.test(base.protocol)) {
    throw new WrongUse(`"${server}" is no address of a server.`)
  }
  return clientOver((request) => answered(base, secret, request))
}

/** The edition in force on a server, for a team where one is named. */
export async function publishedEdition(options: ServerOptions): Promise<Omit<Edition, 'number'>> {
  const { name, domain, words, groups, items } = await serverClient(options).getRulebook({
    team: options.team,
  })
  return { name, domain, words, groups, rules: items }
}

async function answered(base: URL, token: string, request: Outgoing): Promise<Response> {
  const { method, path, headers, body } = request
  let response: Response
  try {
    response = await fetch(new URL(`/api/v1${path}`, base), {
      method,
      headers: { ...headers, authorization: `Bearer ${token}` },
      ...(body !== undefined && { body }),
      signal: AbortSignal.timeout(30_000),
    })
  } catch (error) {
    const { cause, message } = error as Error
    throw new WrongUse(
      `${base.origin} does not answer: ${(cause as Error | undefined)?.message ?? message}`,
    )
  }
  if (response.ok) return response
  const problem = (await response.json().catch(() => ({}))) as { detail?: string }
  throw new WrongUse(
    `${base.origin} answers ${response.status}: ${problem.detail ?? response.statusText}`,
  )
}
