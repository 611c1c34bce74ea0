import { pointerTo } from '../../text/pointer'
import {
  stepsBy,
  withoutSchema,
  type Layout,
  type PartNames,
  type Renaming,
  type Written,
} from '../layout-model'
import { insertInPaths } from './insert'

const info = Object.fromEntries(
  ['title', 'version', 'summary', 'description', 'termsOfService', 'contact', 'license'].map(
    (name) => [name, `info/${name}`],
  ),
)
const definition = { ...info, docs: 'externalDocs/url' }
const operation = { id: 'operationId', docs: 'externalDocs/url' }

const openApi: PartNames = {
  definition,
  operation,
  parameter: Object.fromEntries(
    ['default', 'type', 'enum', 'pattern', 'format', 'minimum', 'maximum', 'maxLength'].map(
      (name) => [name, `schema/${name}`],
    ),
  ),
}
const swagger: PartNames = { definition: { ...definition, servers: 'host' }, operation }

/** Schemas are referred to by pointers (OpenAPI 3.1, section 4.8.23). */
function renamedPointer({ value, at, key }: Written, { pointer, to, sameFile }: Renaming) {
  if (key !== '$ref' && !at.includes('/mapping/')) return undefined
  const old = `#${pointer}`
  if (!value.endsWith(old) || (sameFile ? value !== old : value.length === old.length))
    return undefined
  const next = `#${pointerTo(pointer.slice(0, pointer.lastIndexOf('/')), to)}`
  return value.slice(0, -old.length) + next
}

const common = {
  version: '/info/version',
  isXml: false,
  path: (path: string) => pointerTo('/paths', path),
  typeStandsAlone: false,
  parametersAreKeys: false,
  renamed: renamedPointer,
}

export const openApiLayout: Layout = {
  ...common,
  steps: stepsBy(openApi),
  changedSteps: stepsBy(openApi),
  shared: {
    response: '/components/responses',
    parameter: '/components/parameters',
    requestBody: '/components/requestBodies',
    header: '/components/headers',
    schema: '/components/schemas',
  },
  insert: insertInPaths('OpenAPI'),
}

export const swaggerLayout: Layout = {
  ...common,
  steps: stepsBy(swagger),
  changedSteps: withoutSchema(stepsBy(swagger)),
  shared: { response: '/responses', parameter: '/parameters' },
  insert: insertInPaths('Swagger'),
}
