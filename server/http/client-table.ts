import { fieldsOf, type ApiClass } from '../../shared/api/fields'
import type { Operation } from './operation'

/** Where the classes of the API are written: file by class. */
export type Homes = ReadonlyMap<ApiClass, string>

const isList = (type: ApiClass) => {
  const fields = fieldsOf(type)
  return fields.has('items') && fields.has('nextCursor')
}

/** What is sent, and how what comes back is read. */
function shapeOf({ body, raw, success }: Operation): string {
  const sends = body ? 'json' : raw ? 'text' : 'nothing'
  const { body: answers, page, mediaType } = success
  const reads =
    (page ?? (answers && isList(answers)))
      ? 'list'
      : answers
        ? 'json'
        : mediaType
          ? 'text'
          : 'nothing'
  return `'${sends}', '${reads}'`
}

/** The table that the client is typed by, as a module: each operation with what it takes and gives. */
export function clientTable(operations: Operation[], homes: Homes): string {
  const used = new Map<string, Set<string>>()
  const named = (type: ApiClass | undefined): string => {
    if (!type) return 'undefined'
    const home = homes.get(type)
    if (home === undefined) throw new Error(`Nobody knows where ${type.name} is written`)
    used.set(home, (used.get(home) ?? new Set<string>()).add(type.name))
    return type.name
  }
  const responseOf = ({ success: { body, page, mediaType, accepted } }: Operation): string => {
    const own = page
      ? `Page<${named(page)}>`
      : body
        ? named(body)
        : mediaType
          ? 'string'
          : 'undefined'
    return accepted ? `${own} | ${named(accepted)}` : own
  }
  const rows = [...operations].sort((a, b) => (a.id < b.id ? -1 : 1))
  const routes = rows.map(
    (operation) =>
      `  ${operation.id}: ['${operation.method}', '${operation.path}', ${shapeOf(operation)}],`,
  )
  const calls = rows.map((operation) => {
    const names = [...operation.path.matchAll(/\{(\w+)\}/g)].map(([, name]) => `'${name}'`)
    const body = operation.body
      ? named(operation.body)
      : operation.raw
        ? 'string | Blob'
        : 'undefined'
    return `  ${operation.id}: Call<${names.join(' | ') || 'never'}, ${named(operation.query)}, ${body}, ${responseOf(operation)}>`
  })
  const imports = [...used]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([home, names]) => `import type { ${[...names].sort().join(', ')} } from '../api/${home}'`)
  return `${imports.join('\n')}
import type { Call, Page, Route } from './client'

// Made from the operations of the server: \`npm run operations\` writes it, and a test holds it to them.

/** Every operation: its method and path, what it sends, and what comes back. */
export const routes = {
${routes.join('\n')}
} as const satisfies Record<string, Route>

/** Every operation: the parameters of its path, its query, its body and its response. */
export interface Calls {
${calls.join('\n')}
}
`
}
