import { request } from 'undici'
import { Failure } from './failure'

/** A gateway's configuration as it runs, with the tag that a change must quote. */
export interface Running {
  text: string
  etag: string
}

export interface GatewayAddress {
  name: string
  adminUrl: string
}

/** The gateway could not be reached or did not answer as it should; nothing was changed. */
export const gatewayDown = ({ name, adminUrl }: GatewayAddress, why: string) =>
  new Failure(
    502,
    'The gateway does not answer',
    `${name} at ${adminUrl} ${why}. Nothing was changed; try again when it is back.`,
  )

/** A gateway may take its time: nobody else waits for it. In milliseconds. */
const timeouts = { headersTimeout: 20_000, bodyTimeout: 20_000 }

async function call(
  gateway: GatewayAddress,
  secret: string,
  path: string,
  change?: { body: string; etag: string },
): Promise<{ status: number; etag: string; text: string }> {
  try {
    const answer = await request(gateway.adminUrl + path, {
      method: change ? 'PUT' : 'GET',
      headers: { 'x-admin-secret': secret, ...(change && { 'if-match': change.etag }) },
      ...(change && { body: change.body }),
      ...timeouts,
    })
    const etag = answer.headers['etag']
    return {
      status: answer.statusCode,
      etag: typeof etag === 'string' ? etag : '',
      text: await answer.body.text(),
    }
  } catch (error) {
    const { code, message } = error as NodeJS.ErrnoException
    throw gatewayDown(
      gateway,
      code === 'ECONNREFUSED' ? 'refuses connections' : `failed (${message})`,
    )
  }
}

export async function readConfiguration(gateway: GatewayAddress, secret: string): Promise<Running> {
  const { status, etag, text } = await call(gateway, secret, '/configuration')
  if (status !== 200) throw gatewayDown(gateway, `answered ${status}`)
  return { text, etag }
}

/** Replaces the configuration, if it is still the one that was read; the gateway takes it whole or not at all. */
export async function writeConfiguration(
  gateway: GatewayAddress,
  secret: string,
  body: string,
  etag: string,
): Promise<'written' | 'changed in between'> {
  const answer = await call(gateway, secret, '/configuration', { body, etag })
  if (answer.status === 200) return 'written'
  if (answer.status === 412) return 'changed in between'
  if (answer.status === 422) {
    const { detail } = JSON.parse(answer.text) as { detail?: string }
    throw new Failure(
      422,
      'The gateway refused the configuration',
      `${detail ?? 'It gave no reason'}. What ran before runs on.`,
    )
  }
  throw gatewayDown(gateway, `answered ${answer.status}`)
}

/** What the gateway logged of one request, if it still knows. */
export async function readLogEntry(
  gateway: GatewayAddress,
  secret: string,
  id: string,
): Promise<unknown> {
  const { status, text } = await call(gateway, secret, `/log/${encodeURIComponent(id)}`)
  return status === 200 ? JSON.parse(text) : undefined
}
