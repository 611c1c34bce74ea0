import type { Contract, ExternalDocs, Operation } from '../../contract/model'
import type { Location } from '../../text/location'
import { isObject, type Node } from '../../text/values'
import { isUriReference } from '../../text/uri'
import type { Losses } from './losses'
import { node } from './node'

const none = (what: string) => `${what} is no address, and is left out`

/** A part without the address in it that is none: whoever reads it would refuse the whole document. */
function withoutBadUrl<T extends { url?: string }>(
  losses: Losses,
  part: T,
  what: string,
  at: Location,
): T {
  if (part.url === undefined || isUriReference(part.url)) return part
  losses.memberAt<{ url?: string }>(at, part, 'url', none(what))
  const { url: _, ...rest } = part
  return rest as T
}

/** Where more is said; nothing where that is no address, which it has to have. */
export function docsOf(
  losses: Losses,
  owner: { externalDocs?: ExternalDocs },
  at: Location,
): ExternalDocs | undefined {
  const { externalDocs } = owner
  if (!externalDocs || isUriReference(externalDocs.url)) return externalDocs
  losses.memberAt(
    at,
    owner,
    'externalDocs',
    none(`The url of externalDocs, ${externalDocs.url.slice(0, 80)},`),
  )
  return undefined
}

/** What a document says of whoever answers for it, with addresses that are some. */
export function people(losses: Losses, contract: Contract): Node {
  const { termsOfService, contact, license } = contract
  const isAddress = termsOfService === undefined || isUriReference(termsOfService)
  if (!isAddress)
    losses.memberAt(
      '/info',
      contract,
      'termsOfService',
      none(`termsOfService, ${termsOfService.slice(0, 80)},`),
    )
  return node({
    termsOfService: isAddress ? termsOfService : undefined,
    contact: contact && withoutBadUrl(losses, contact, 'The url of the contact', '/info/contact'),
    license: license && withoutBadUrl(losses, license, 'The url of the license', '/info/license'),
  })
}

const ofXml = new Set(['name', 'namespace', 'prefix', 'attribute', 'wrapped', 'nodeType'])

/** What the XML object of a schema may have (OpenAPI 3.2, section 4.26); `lose` is told of the rest. */
export function knownXml(xml: unknown, lose: (member: string) => void): unknown {
  if (!isObject(xml)) return xml
  const known = Object.entries(xml).filter(([name]) => {
    const isKnown = ofXml.has(name) || name.startsWith('x-')
    if (!isKnown) lose(name)
    return isKnown
  })
  return known.length === Object.keys(xml).length ? xml : Object.fromEntries(known)
}

/** The version of a document, which has to have one. */
export function versionOf(losses: Losses, contract: Contract): string {
  if (contract.version !== '') return contract.version
  losses.memberAt('/info', contract, 'version', 'The definition names no version; 1 stands in')
  return '1'
}

/** Gives out identifiers of operations, each once: what is said twice finds neither. */
export class OperationIds {
  private readonly given = new Set<string>()

  constructor(private readonly losses: Losses) {}

  of(operation: Operation): string | undefined {
    const { id } = operation
    if (id === undefined || id === '') return undefined
    if (!this.given.has(id)) {
      this.given.add(id)
      return id
    }
    this.losses.member(operation, 'id', `The operationId ${id} is another operation’s already`)
    return undefined
  }
}
