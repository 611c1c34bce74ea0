import type { ConfigOf } from '../core/runtime/policies'
import { methodsOf } from '../core/runtime/policies/authenticate'
import type { Route } from '../core/runtime/routes'
import { readQuery } from './fields'
import { headerOf, type Passage } from './passage'

/** Why a request belongs to the share that goes elsewhere; undefined where it does not. */
export function takesShare(
  { percent, header, clients }: ConfigOf<'share'>,
  passage: Passage,
): string | undefined {
  if (header && headerOf(passage, header.name) === header.value)
    return `${header.name} says ${header.value}`
  const { client } = passage
  if (clients.includes(client)) return `${client} is one of its clients`
  const drawn = client === '' ? Math.random() * 100 : sideOf(client)
  return drawn < percent ? `it is among the ${percent} %` : undefined
}

/** Where a client stands between 0 and 100: always at the same place (FNV-1a). */
function sideOf(client: string): number {
  let hash = 0x811c9dc5
  for (let i = 0; i < client.length; i++)
    hash = Math.imul(hash ^ client.charCodeAt(i), 0x01000193) >>> 0
  return (hash / 2 ** 32) * 100
}

/**
 * Where whoever calls stands between 0 and 100, before anybody has asked who it is: by the credential that is shown, which stays
 * on its side; without one it is drawn, once for a request.
 */
export function callerSide(passage: Passage): (route: Route | undefined) => number {
  let drawn: number | undefined
  return (route) => {
    const shown = credentialsShown(passage, route)
    return shown === '' ? (drawn ??= Math.random() * 100) : sideOf(shown)
  }
}

function credentialsShown(passage: Passage, route: Route | undefined): string {
  const shown = methodsOf(route?.policies.authentication).map((method) => {
    if (method.kind !== 'api-key') return headerOf(passage, 'authorization') ?? ''
    if (method.in === 'header') return headerOf(passage, method.name) ?? ''
    if (method.in === 'cookie') return headerOf(passage, 'cookie') ?? ''
    return readQuery(passage.head.target.query)
      .filter(({ name }) => name === method.name)
      .map(({ value }) => value)
      .join()
  })
  return shown.join('\n').trim()
}
