import {
  stepsBy,
  withoutSchema,
  type Layout,
  type PartNames,
  type Renaming,
  type Written,
} from '../layout-model'
import { insertInResources } from './insert'

const names: PartNames = {
  definition: { servers: 'baseUri', tags: '', contact: '', license: '' },
  operation: {
    id: 'displayName',
    summary: 'displayName',
    security: 'securedBy',
    tags: '',
    parameters: 'queryParameters',
  },
  mediaType: { schema: 'type' },
}

/** A property or a body may be the name of a type alone. */
const isType = ({ at, key }: Written) =>
  ['type', 'items', 'schema', ''].includes(key) || /\/(?:properties|body|types)\/[^/]+$/.test(at)

/** Types are referred to by name, in expressions too (RAML 1.0, "Type Expressions"). */
function renamedType(written: Written, { name, to }: Renaming): string | undefined {
  if (!isType(written)) return undefined
  const word = new RegExp(
    `(?<![\\w.-])${name.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')}(?![\\w.-])`,
    'g',
  )
  const renamed = written.value.replace(word, to)
  return renamed === written.value ? undefined : renamed
}

export const ramlLayout: Layout = {
  version: '/version',
  isXml: false,
  steps: stepsBy(names),
  changedSteps: withoutSchema(stepsBy(names)),
  shared: {},
  typeStandsAlone: true,
  parametersAreKeys: true,
  renamed: renamedType,
  insert: insertInResources,
}
