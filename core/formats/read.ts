import type { Contract } from '../contract/model'
import { Documents, type Beside } from '../text/documents'
import type { PlacedDiagnostic, Diagnostic } from '../text/diagnostic'
import type { SourceText } from '../text/read'
import { isObject } from '../text/values'
import { readOpenApi, specificationOf } from './openapi'
import { isRaml, readRaml } from './raml'
import { readWadl, wadlNamespaces } from './wadl'
import { readWsdl, wsdlNamespaces } from './wsdl'

/**
 * A definition read into its contract. What cannot be read at all has no contract; what departs from its specification
 * has one, and says so in `problems`.
 */
export type Reading =
  | { readable: true; contract: Contract; documents: Documents; diagnostics: Diagnostic[] }
  | { readable: false; diagnostics: Diagnostic[] }

type Parts = { contract: Contract; diagnostics: PlacedDiagnostic[] } | { unknown: PlacedDiagnostic }

/** Reads any definition. The format is told by the content, never by the file's name. */
export function readDefinition(source: SourceText, beside?: Beside): Reading {
  const documents = new Documents(source, beside)
  const { reading } = documents.get()!
  if (!reading.readable) return { readable: false, diagnostics: reading.diagnostics }
  const parts =
    reading.syntax === 'xml'
      ? readXmlDefinition(documents, reading.root)
      : readValues(documents, reading.value)
  if ('unknown' in parts) {
    return { readable: false, diagnostics: documents.placed([parts.unknown]) }
  }
  const others = documents.files
    .filter(({ file }) => file !== source.file)
    .flatMap((document) => document.reading.diagnostics)
  return {
    readable: true,
    contract: parts.contract,
    documents,
    diagnostics: [...reading.diagnostics, ...others, ...documents.placed(parts.diagnostics)],
  }
}

const unknown = (message: string, at = ''): Parts => ({
  unknown: { severity: 'error', at, message },
})

function readXmlDefinition(documents: Documents, root: import('../text/xml').XmlElement): Parts {
  if (wsdlNamespaces.has(root.namespace)) return readWsdl(documents, root)
  if (wadlNamespaces.has(root.namespace)) return readWadl(documents, root)
  return unknown(
    `This XML is no definition that is known here: it begins with "${root.local}", not with the definitions of a WSDL or the application of a WADL`,
    `/${root.local}`,
  )
}

function readValues(documents: Documents, value: unknown): Parts {
  if (isRaml(documents.main.text)) return readRaml(documents, value)
  if (!isObject(value)) {
    return unknown(
      'This is not a definition: an OpenAPI document is an object that begins with "openapi"',
    )
  }
  const specification = specificationOf(value)
  if (specification) return readOpenApi(documents, value, specification)
  if (value['swagger'] !== undefined) {
    return unknown(
      `Swagger ${JSON.stringify(value['swagger'])} is not read; write 2.0 as text`,
      '/swagger',
    )
  }
  if (value['openapi'] !== undefined) {
    return unknown(
      `OpenAPI ${JSON.stringify(value['openapi'])} is not read; write 3.0.x, 3.1.x or 3.2.x as text`,
      '/openapi',
    )
  }
  return unknown(
    'This is no definition that is known here: it does not begin with "openapi", "swagger", or a #%RAML line',
  )
}
