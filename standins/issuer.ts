import { generateKeyPairSync, randomBytes } from 'node:crypto'
import type { IncomingMessage, RequestListener, ServerResponse } from 'node:http'
import Provider from 'oidc-provider'

/** Somebody the issuer knows. */
export interface Account {
  name: string
  displayName: string
  groups: string[]
}

/** People of the company whom the product does not know before they sign on. */
export const employees: Account[] = [
  { name: 'iris', displayName: 'Iris Fallow', groups: ['gateway-operators', 'everybody'] },
  { name: 'marek', displayName: 'Marek Dunne', groups: ['api-governance', 'everybody'] },
  { name: 'hazel', displayName: 'Hazel Thorne', groups: ['platform', 'everybody'] },
  { name: 'noel', displayName: 'Noel Tarn', groups: [] },
]

/** A program that the issuer gives tokens to: client credentials (RFC 6749, section 4.4). */
export interface Machine {
  id: string
  secret: string
  /** What it may ask for. */
  scopes: string[]
}

/** What tokens of programs are for: their audience. */
export const tokenAudience = 'https://api.brackenmere.example'

const customerScopes = ['accounts:read', 'accounts:write', 'care:read', 'care:write']

/** Programs inside the company, with secrets that are for the demo only. */
export const machines: Machine[] = [
  { id: 'agent-screen', secret: 'demo-agent-screen', scopes: customerScopes },
  { id: 'crew-app', secret: 'demo-crew-app', scopes: ['accounts:read'] },
]

interface IssuerOptions {
  /** Where it is reached, with the path it is mounted at. */
  url: string
  clientId: string
  clientSecret: string
  /** Where it may send people back to. */
  redirects: string[]
  accounts: Account[]
  machines?: Machine[]
}

const escaped = (text: string) =>
  text.replace(/[&<>"]/g, (character) => `&#${character.charCodeAt(0)};`)

const page = (accounts: Account[]) => `<!doctype html>
<html lang="en"><meta charset="utf-8"><title>Brackenmere sign-on (stand-in)</title>
<style>body{font:16px sans-serif;max-width:26rem;margin:12vh auto;padding:0 1rem}
button{display:block;width:100%;margin:.5rem 0;padding:.6rem;font:inherit;text-align:left}small{color:#555}</style>
<h1>Brackenmere sign-on</h1><p>A stand-in that asks for no password. Who are you?</p>
<form method="post">${accounts
  .map(
    ({ name, displayName, groups }) =>
      `<button name="account" value="${escaped(name)}">${escaped(displayName)}<br><small>${escaped(groups.join(', ') || 'in no group')}</small></button>`,
  )
  .join('')}</form></html>`

async function bodyOf(request: IncomingMessage): Promise<URLSearchParams> {
  const chunks: Buffer[] = []
  for await (const chunk of request as AsyncIterable<Buffer>) chunks.push(chunk)
  return new URLSearchParams(Buffer.concat(chunks).toString())
}

/** An issuer of OpenID Connect that lets people choose who they are: for demos and tests, with a key of its own. */
export function issuer(options: IssuerOptions): RequestListener {
  const { url, clientId, clientSecret, redirects, accounts, machines: programs = [] } = options
  const mount = new URL(url).pathname
  const key = generateKeyPairSync('rsa', { modulusLength: 2048 }).privateKey
  const provider = new Provider(url, {
    clients: [
      {
        client_id: clientId,
        client_secret: clientSecret,
        redirect_uris: redirects,
        token_endpoint_auth_method: 'client_secret_post',
      },
      ...programs.map(({ id, secret, scopes }) => ({
        client_id: id,
        client_secret: secret,
        redirect_uris: [],
        response_types: [],
        grant_types: ['client_credentials'],
        token_endpoint_auth_method: 'client_secret_post' as const,
        scope: scopes.join(' '),
      })),
    ],
    jwks: { keys: [{ ...key.export({ format: 'jwk' }), alg: 'RS256', use: 'sig' }] },
    cookies: { keys: [randomBytes(32).toString('base64url')] },
    scopes: ['openid', 'profile', 'groups', ...new Set(programs.flatMap(({ scopes }) => scopes))],
    claims: { openid: ['sub'], profile: ['name', 'preferred_username'], groups: ['groups'] },
    pkce: { required: () => true },
    features: {
      devInteractions: { enabled: false },
      clientCredentials: { enabled: true },
      // Tokens of programs are signed and say what they are for; those of people stay with the issuer.
      resourceIndicators: {
        enabled: true,
        defaultResource: ({ oidc }) =>
          oidc.params?.['grant_type'] === 'client_credentials' ? tokenAudience : [],
        useGrantedResource: () => true,
        getResourceServerInfo: (_context, _resource, client) => ({
          scope: client.scope ?? '',
          audience: tokenAudience,
          accessTokenFormat: 'jwt',
          accessTokenTTL: 600,
          jwt: { sign: { alg: 'RS256' } },
        }),
      },
    },
    interactions: { url: (_context, { uid }) => `${mount}/interaction/${uid}` },
    // Whoever comes again chooses again.
    ttl: {
      Session: 1,
      Interaction: 600,
      Grant: 600,
      AccessToken: 600,
      ClientCredentials: 600,
      IdToken: 600,
    },
    findAccount: (_context, id) => {
      const account = accounts.find(({ name }) => name === id)
      if (!account) return undefined
      const { name, displayName, groups } = account
      const claims = { sub: id, name: displayName, preferred_username: name, groups }
      return { accountId: id, claims: () => claims }
    },
    renderError(context, { error, error_description: why }) {
      context.type = 'text'
      context.body = `${error}: ${why ?? ''}\n`
    },
    async loadExistingGrant({ oidc }) {
      const grant = new oidc.provider.Grant({
        clientId: oidc.client!.clientId,
        accountId: oidc.session!.accountId!,
      })
      grant.addOIDCScope('openid profile groups')
      await grant.save()
      return grant
    },
  })
  const answer = provider.callback()
  const interact = async (request: IncomingMessage, response: ServerResponse) => {
    if (request.method !== 'POST') {
      response.writeHead(200, { 'Content-Type': 'text/html; charset=utf-8' })
      response.end(page(accounts))
      return
    }
    const accountId = (await bodyOf(request)).get('account') ?? ''
    await provider.interactionFinished(request, response, { login: { accountId } })
  }
  return (request, response) => {
    if (request.url?.startsWith(`${mount}/interaction/`)) {
      interact(request, response).catch((error: Error) => {
        response.writeHead(400, { 'Content-Type': 'text/plain' })
        response.end(error.message)
      })
      return
    }
    // Mounted: the provider works out its own addresses from what was asked for first.
    Object.assign(request, { originalUrl: request.url })
    request.url = request.url!.slice(mount.length) || '/'
    void answer(request, response)
  }
}
