import { escapeXml } from './xml-values'

export type SoapVersion = '1.1' | '1.2'

/** The namespaces of envelopes (SOAP 1.1, section 3; SOAP 1.2 part 1, section 5.1). */
export const envelopeNamespaces: Record<SoapVersion, string> = {
  '1.1': 'http://schemas.xmlsoap.org/soap/envelope/',
  '1.2': 'http://www.w3.org/2003/05/soap-envelope',
}

export const soapMediaTypes: Record<SoapVersion, string> = {
  '1.1': 'text/xml',
  '1.2': 'application/soap+xml',
}

/** An envelope around what its body holds. */
export const envelope = (version: SoapVersion, body: string) =>
  `<?xml version="1.0" encoding="UTF-8"?><soap:Envelope xmlns:soap="${envelopeNamespaces[version]}"><soap:Body>${body}</soap:Body></soap:Envelope>`

/** What a fault says: whose fault it is, the reason, and elements that say more. */
export interface Fault {
  isSender: boolean
  reason: string
  detail?: string
}

/** A fault as each version writes it (SOAP 1.1, section 4.4; SOAP 1.2 part 1, section 5.4). */
export function faultEnvelope(version: SoapVersion, { isSender, reason, detail }: Fault): string {
  const said = escapeXml(reason)
  if (version === '1.1') {
    const more = detail === undefined ? '' : `<detail>${detail}</detail>`
    return envelope(
      version,
      `<soap:Fault><faultcode>soap:${isSender ? 'Client' : 'Server'}</faultcode><faultstring>${said}</faultstring>${more}</soap:Fault>`,
    )
  }
  const more = detail === undefined ? '' : `<soap:Detail>${detail}</soap:Detail>`
  return envelope(
    version,
    `<soap:Fault><soap:Code><soap:Value>soap:${isSender ? 'Sender' : 'Receiver'}</soap:Value></soap:Code><soap:Reason><soap:Text xml:lang="en">${said}</soap:Text></soap:Reason>${more}</soap:Fault>`,
  )
}
