import { Describer } from '../../shared/api/describe'
import { resourceBodies, resourceKinds } from '../../shared/api/resources'

/** The JSON Schema (2020-12) of one resource as it stands in a file. */
export function resourceSchema(): Record<string, unknown> {
  const describer = new Describer()
  const kinds = resourceKinds.map((kind) => ({
    type: 'object',
    required: ['format', 'kind', 'name', 'spec'],
    properties: {
      format: { const: 1, description: 'The edition of this format.' },
      kind: { const: kind },
      name: { type: 'string', minLength: 1, maxLength: 300 },
      spec: describer.reference(resourceBodies[kind]),
      status: { type: 'object', description: 'Written by programs, and not read.' },
    },
    additionalProperties: false,
  }))
  // What is left out stays as it is, so that nothing has to be there.
  const defs = Object.fromEntries(
    Object.entries(describer.schemas).map(([name, { required, ...schema }]) => [
      name,
      resourceNames.has(name) ? schema : { ...schema, ...(required !== undefined && { required }) },
    ]),
  )
  const text = JSON.stringify({ oneOf: kinds, $defs: { ...defs, ApiVersion: versionInFile } })
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title: 'Resource of Elm Ledger',
    ...(JSON.parse(text.replaceAll('#/components/schemas/', '#/$defs/')) as object),
  }
}

/** In a file a version names its files; what they say is worked out where they are read. */
const versionInFile = {
  type: 'object',
  required: ['version', 'folder', 'files'],
  properties: {
    version: { type: 'string', minLength: 1, maxLength: 200 },
    folder: { type: 'string', description: 'Where its files are, below the folder of this file.' },
    files: {
      type: 'array',
      items: { type: 'string' },
      description: 'The files of its definition, the main one first.',
    },
  },
  additionalProperties: false,
}

const resourceNames = new Set(Object.values(resourceBodies).map(({ name }) => name))
