import type { Contract } from '../../contract/model'
import type { Documents } from '../../text/documents'
import type { PlacedDiagnostic } from '../../text/diagnostic'
import type { XmlElement } from '../../text/xml'
import { wsdl11, Wsdl11Reader } from './wsdl11'
import { wsdl20Namespaces, Wsdl20Reader } from './wsdl20'

/** The namespaces by which a WSDL is known. */
export const wsdlNamespaces = new Set([wsdl11, ...wsdl20Namespaces])

/** Reads a WSDL 1.1 or 2.0 document with everything it imports. */
export function readWsdl(
  documents: Documents,
  root: XmlElement,
): { contract: Contract; diagnostics: PlacedDiagnostic[] } {
  const reader =
    root.namespace === wsdl11
      ? new Wsdl11Reader(documents, root)
      : new Wsdl20Reader(documents, root)
  const contract = reader.read()
  return { contract, diagnostics: reader.diagnostics }
}
