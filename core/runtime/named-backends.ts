import type { Contract, Extensions, Operation } from '../contract/model'
import { isObject } from '../text/values'
import { operationKey, type Backend, type PlacementSpec } from './placement'

/**
 * Our extension of OpenAPI and Swagger. `x-elm-backends` at the root lists backends by name, with a usual address and
 * timeout where the definition knows them; `x-elm-backend` at the root, a path or an operation names the one that
 * serves what is below it, the innermost deciding.
 */
const listed = 'x-elm-backends'
const named = 'x-elm-backend'

/** A backend that a definition names. */
export interface NamedBackend {
  name: string
  url?: string
  timeoutMs?: number
}

const isName = (value: unknown): value is string =>
  typeof value === 'string' && /^[a-z0-9-]{1,40}$/.test(value)
const isTimeout = (value: unknown): value is number =>
  typeof value === 'number' && Number.isInteger(value) && value >= 50 && value <= 120_000
const isAddress = (value: unknown): value is string =>
  typeof value === 'string' &&
  value.length <= 500 &&
  /^https?:\/\/[^\s/]+(\/[^\s?#]*)?$/.test(value)

const nameIn = (extensions: Extensions | undefined) => {
  const name = extensions?.[named]
  return isName(name) ? name : undefined
}

/** The backends that a definition names, and the one of each operation. What has another shape is passed over. */
export function namedBackends(contract: Contract): {
  backends: NamedBackend[]
  of: (operation: Operation) => string | undefined
} {
  const paths = new Map(contract.paths.map(({ path, extensions }) => [path, nameIn(extensions)]))
  const usual = nameIn(contract.extensions)
  const of = ({ path, extensions }: Operation) => nameIn(extensions) ?? paths.get(path) ?? usual
  const written = contract.extensions?.[listed]
  const backends = new Map<string, NamedBackend>()
  for (const [name, said] of isObject(written) ? Object.entries(written) : []) {
    if (!isName(name)) continue
    const { url, timeoutMs } = isObject(said) ? said : {}
    backends.set(name, {
      name,
      ...(isAddress(url) && { url: url.replace(/\/+$/, '') }),
      ...(isTimeout(timeoutMs) && { timeoutMs }),
    })
  }
  for (const operation of contract.operations) {
    const name = of(operation)
    if (name !== undefined && !backends.has(name)) backends.set(name, { name })
  }
  return { backends: [...backends.values()], of }
}

/** What a placement's route table says of backends, to be written into its definition. */
export type Routed = Pick<PlacementSpec, 'backends' | 'routes'>

/** A contract that names the backends of a placement; the addresses are those of its first targets. */
export function withBackends(contract: Contract, { backends, routes }: Routed): Contract {
  const byOperation = new Map(
    routes.flatMap((row) =>
      row.treatment.kind === 'route' ? [[operationKey(row), row.treatment.backend] as const] : [],
    ),
  )
  const without = (extensions: Extensions | undefined): Extensions => {
    const { [named]: _, [listed]: __, ...rest } = extensions ?? {}
    return rest
  }
  const used = new Set(byOperation.values())
  return {
    ...contract,
    extensions: {
      ...without(contract.extensions),
      [listed]: Object.fromEntries(
        backends
          .filter(({ name }) => used.has(name))
          .map(({ name, url, timeoutMs }) => [name, { url, timeoutMs }]),
      ),
    },
    paths: contract.paths.map((path) => ({ ...path, extensions: without(path.extensions) })),
    operations: contract.operations.map((operation) => {
      const { method, path, extensions } = operation
      const name = byOperation.get(operationKey({ method: method.toUpperCase(), path }))
      return {
        ...operation,
        extensions: { ...without(extensions), ...(name !== undefined && { [named]: name }) },
      }
    }),
  }
}

/** Backends for a route table: those that are known, and those that the definition names besides. */
export function backendsFor(known: readonly Backend[], wanted: readonly NamedBackend[]): Backend[] {
  const names = new Set(known.map(({ name }) => name))
  return [
    ...known,
    ...wanted
      .filter(({ name }) => !names.has(name))
      .map(({ name, url = '', timeoutMs = 5000 }) => ({ name, url, timeoutMs })),
  ]
}
