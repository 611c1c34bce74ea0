import type { Contract } from '../../contract/model'
import { referencedName, resolveSchema } from '../../contract/schemas'
import type { Documents } from '../../text/documents'
import { partsOf } from '../../text/location'
import type { PlacedDiagnostic } from '../../text/diagnostic'
import { isObject } from '../../text/values'
import { contradictions } from './builder'
import { bindDynamic } from './dynamic'
import { OpenApiBuilder } from './read'
import { References } from './references'
import { shapesOf, type Specification } from './shapes'
import { SwaggerBuilder } from './swagger'
import { Walk } from './walk'

const objectIn = (value: unknown, ...keys: string[]): Record<string, unknown> => {
  let here = value
  for (const key of keys) here = isObject(here) ? here[key] : undefined
  return isObject(here) ? here : {}
}

/** The version of the specification a document says it follows, if it is one that is read. */
export function specificationOf(document: Record<string, unknown>): Specification | undefined {
  const { openapi, swagger } = document
  if (swagger !== undefined) return swagger === '2.0' || swagger === 2 ? '2.0' : undefined
  const minor = /^3\.([0-2])(\.\d+)?(-.+)?$/.exec(String(openapi))?.[1]
  return minor === undefined ? undefined : (`3.${minor}` as Specification)
}

/** Reads an OpenAPI 3.0, 3.1, 3.2 or Swagger 2.0 document that is already values. */
export function readOpenApi(
  documents: Documents,
  root: Record<string, unknown>,
  specification: Specification,
): { contract: Contract; diagnostics: PlacedDiagnostic[] } {
  const old = specification === '2.0'
  const container = old ? '/definitions' : '/components/schemas'
  const declared = old ? objectIn(root, 'definitions') : objectIn(root, 'components', 'schemas')
  const references = new References(documents, container, declared)
  const walk = new Walk(documents, references, specification)
  const shape = shapesOf(specification).get(old ? 'Swagger' : 'OpenAPI')!
  walk.run(root, { kind: 'object', shape })
  const builder = new (old ? SwaggerBuilder : OpenApiBuilder)(references, root)
  const contract = bindDynamic(builder.build(), walk.bindings, (place) => {
    const { file = documents.main.file, pointer } = partsOf(place)
    return references.baseOf(file, pointer)
  })
  for (const { name, schema, at } of contract.schemas) {
    if (resolveSchema(contract, schema) !== undefined || !isObject(schema)) continue
    if (typeof schema['$ref'] !== 'string' || referencedName(schema['$ref']) === undefined) continue
    const message = `The schema "${name}" goes in a circle and never reaches a definition`
    walk.diagnostics.push({ at, severity: 'error', message })
  }
  return {
    contract,
    diagnostics: [...walk.diagnostics, ...builder.diagnostics, ...contradictions(contract)],
  }
}
