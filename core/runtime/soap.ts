import type { SoapVersion } from '../contract/envelopes'
import { ConfigurationError, list, record, text } from './config-values'

/** How an operation is called by one of its bindings: by its SOAPAction, and by the first element of the body. */
export interface SoapMatch {
  version: SoapVersion
  action?: string
  /** `{namespace}name` */
  element?: string
}

/** What a message says of the operation it is for. */
export type SoapMessage = SoapMatch

/**
 * Whether a message is for an operation. The element decides where both have one; an action that says something else is
 * no match, so that nobody is let in for one operation and served another.
 */
export const soapMatches = (matches: readonly SoapMatch[], message: SoapMessage): boolean =>
  matches.some(({ version, action = '', element }) => {
    if (version !== message.version) return false
    const said = message.action ?? ''
    if (element === undefined) return said !== '' && said === action
    return element === message.element && (said === '' || action === '' || said === action)
  })

/** `SOAP 1.1 registerSample` */
export const messageText = ({ version, action = '', element }: SoapMessage) =>
  `SOAP ${version} ${element ?? 'an empty body'}${action === '' ? '' : `, action ${action}`}`

/** What a resource says of how its rules are called; or the refusal. */
export function readSoap(spec: Record<string, unknown>, where: string): Map<string, SoapMatch[]> {
  return new Map(
    Object.entries(record(spec['rules'], `${where}, rules`)).map(([name, written]) => [
      name,
      list(written, `${where}, ${name}`).map((item) => matchOf(record(item, where), where)),
    ]),
  )
}

function matchOf(node: Record<string, unknown>, where: string): SoapMatch {
  const { version, action, element } = node
  if (version !== '1.1' && version !== '1.2')
    throw new ConfigurationError(`${where}: the version of SOAP is 1.1 or 1.2`)
  if (action === undefined && element === undefined)
    throw new ConfigurationError(`${where}: an operation is called by an action or an element`)
  return {
    version,
    ...(action !== undefined && { action: text(action, `${where}, action`) }),
    ...(element !== undefined && { element: text(element, `${where}, element`) }),
  }
}
