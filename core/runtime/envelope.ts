import { SaxesParser } from 'saxes'
import { envelopeNamespaces, type SoapVersion } from '../contract/envelopes'
import { isPlainEncoding } from './root-part'

/** How much of a message is looked at before anybody knows who sent it; in bytes. */
export const messageStart = 64 * 1024

/** What one envelope may come to, so that reading it takes time in proportion to its length and no more. */
const most = { depth: 100, elements: 500_000, attributes: 100, declarations: 1000 }

/** What a message says of the operation it is for: the first element of its body, `{namespace}name`; or why it is none. */
export type FirstElement = { element?: string } | { refused: string }

/**
 * The first element of the body of an envelope, by the beginning of its text. Nothing behind it is read; `isWhole` says
 * whether there is anything.
 */
export function firstElement(text: string, version: SoapVersion, isWhole: boolean): FirstElement {
  const reading = new Reading(version, true)
  const refused = reading.read(text, isWhole)
  if (reading.element !== undefined) return { element: reading.element }
  if (refused !== undefined) return { refused }
  if (reading.bodies > 0 && isWhole) return {}
  return {
    refused: isWhole
      ? 'The message has no body'
      : `The first ${messageStart / 1024} KB of the message do not say what it is for`,
  }
}

/** Why a text is no envelope that can be understood in one way only: two bodies would be two messages. */
export const whyNoEnvelope = (text: string, version: SoapVersion): string | undefined =>
  new Reading(version, false).read(text, true)

class Stopped extends Error {}

/** One pass over an envelope. Namespaces are resolved where they decide something: down to the first element of the body. */
class Reading {
  bodies = 0
  element: string | undefined
  private readonly open: string[] = []
  /** Prefixes declared by each open element, as far as they matter. */
  private readonly scopes: Map<string, string>[] = []
  private elements = 0
  private declarations = 0

  constructor(
    private readonly version: SoapVersion,
    private readonly stopsAtFirst: boolean,
  ) {}

  /** Why the text is refused, if it is. */
  read(text: string, isWhole: boolean): string | undefined {
    const parser = new SaxesParser({ position: false, xmlns: false })
    let attributes = 0
    parser.on('xmldecl', ({ encoding }) => {
      if (encoding !== undefined && !isPlainEncoding(encoding))
        throw new Stopped(`The message is said to be in ${encoding.slice(0, 40)}`)
    })
    parser.on('doctype', () => {
      throw new Stopped('The message has a document type declaration')
    })
    parser.on('opentagstart', () => void (attributes = 0))
    parser.on('attribute', ({ name }) => {
      if (++attributes > most.attributes)
        throw new Stopped(`An element has more than ${most.attributes} attributes`)
      if (/^xmlns(?::|$)/.test(name) && ++this.declarations > most.declarations)
        throw new Stopped(`The message declares more than ${most.declarations} namespaces`)
    })
    parser.on('opentag', (tag) => this.enter(tag.name, tag.attributes))
    parser.on('closetag', () => {
      this.open.pop()
      if (this.scopes.length > this.open.length) this.scopes.pop()
    })
    parser.on('error', ({ message }) => {
      throw new Stopped(`The message is not well-formed (${message.slice(0, 200)})`)
    })
    try {
      parser.write(text)
      if (isWhole) parser.close()
    } catch (error) {
      if (error instanceof Stopped) return error.message
      throw error
    }
    return isWhole && this.bodies === 0 ? 'The message has no body' : undefined
  }

  private enter(name: string, attributes: Record<string, string>): void {
    const { open, version } = this
    const depth = open.length
    if (++this.elements > most.elements)
      throw new Stopped(`The message has more than ${most.elements} elements`)
    if (depth >= most.depth) throw new Stopped(`The message is nested more than ${most.depth} deep`)
    // Deeper ones are somebody's payload.
    const isOfBody = depth === 2 && open[1] === bodyOf(version)
    if (depth > 1 && !isOfBody) return void open.push('')
    this.scopes.push(declaredBy(attributes))
    const qualified = this.qualified(name)
    open.push(qualified)
    if (depth === 0 && qualified !== `{${envelopeNamespaces[version]}}Envelope`)
      throw new Stopped(
        `The message is ${qualified.slice(0, 200)}, and no envelope of SOAP ${version}`,
      )
    if (depth === 1 && qualified === bodyOf(version) && ++this.bodies > 1)
      throw new Stopped('The message has more than one body')
    if (isOfBody && this.element === undefined) {
      this.element = qualified
      if (this.stopsAtFirst) throw new Stopped('')
    }
  }

  private qualified(name: string): string {
    const colon = name.indexOf(':')
    const prefix = colon === -1 ? '' : name.slice(0, colon)
    const scope = this.scopes.findLast((one) => one.has(prefix))
    if (!scope && prefix !== '')
      throw new Stopped(`The message is not well-formed (the prefix ${prefix} is not declared)`)
    return `{${scope?.get(prefix) ?? ''}}${name.slice(colon + 1)}`
  }
}

const bodyOf = (version: SoapVersion) => `{${envelopeNamespaces[version]}}Body`

const declaredBy = (attributes: Record<string, string>): Map<string, string> =>
  new Map(
    Object.entries(attributes).flatMap(([name, value]): [string, string][] =>
      name === 'xmlns' ? [['', value]] : name.startsWith('xmlns:') ? [[name.slice(6), value]] : [],
    ),
  )
