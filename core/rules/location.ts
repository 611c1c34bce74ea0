import type { FormatName } from '../contract/model'
import { pointerTo } from '../text/pointer'
import type { Location } from '../text/location'
import type { SubjectKind } from './model'

type Names = Partial<Record<SubjectKind, Record<string, string>>>

const info = Object.fromEntries(
  ['title', 'version', 'summary', 'description', 'termsOfService', 'contact', 'license'].map(
    (name) => [name, `info/${name}`],
  ),
)

const openApi: Names = {
  definition: { ...info, docs: 'externalDocs/url' },
  operation: { id: 'operationId', docs: 'externalDocs/url' },
  parameter: Object.fromEntries(
    ['default', 'type', 'enum', 'pattern', 'format', 'minimum', 'maximum', 'maxLength'].map(
      (name) => [name, `schema/${name}`],
    ),
  ),
}

/** How formats call the parts that a rule points at; a part that is not listed is called as in the contract. */
const names: Partial<Record<FormatName, Names>> = {
  OpenAPI: openApi,
  Swagger: {
    definition: { ...openApi.definition, servers: 'host' },
    operation: openApi.operation!,
  },
  RAML: {
    definition: { servers: 'baseUri', tags: '', contact: '', license: '' },
    operation: {
      id: 'displayName',
      summary: 'displayName',
      security: 'securedBy',
      tags: '',
      parameters: 'queryParameters',
    },
    mediaType: { schema: 'type' },
  },
}

/** The steps from a subject to one of its parts, in the words of its format; none where it has none for it. */
export function partSteps(format: FormatName, kind: SubjectKind, part: string): string[] {
  if (format === 'WSDL' || format === 'WADL') return []
  const [first = '', ...rest] = part.split('.')
  const written = names[format]?.[kind]?.[first] ?? first
  return written === '' ? [] : [...written.split('/'), ...rest]
}

/** Where a part of a subject is written, or would be. */
export const partPlace = (
  format: FormatName,
  kind: SubjectKind,
  at: Location,
  part: string | undefined,
): Location => (part === undefined ? at : pointerTo(at, ...partSteps(format, kind, part)))
