import type { ConfigOf } from '../core/runtime/policies'
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
