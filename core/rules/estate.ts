import type { Contract } from '../contract/model'
import { isObject } from '../text/values'
import type { Estate } from './facts/fact'
import { pathKey, shapeOf } from './library'

/** What one API adds to the estate: its base paths and the shapes of its named objects. */
export interface EstatePart {
  api: string
  basePaths: string[]
  schemas: [name: string, shape: string][]
}

export const estatePart = (api: string, contract: Contract): EstatePart => ({
  api,
  basePaths: namesIn(contract).basePaths,
  schemas: contract.schemas.flatMap(({ name, schema, declared }) =>
    declared && isObject(schema) && isObject(schema['properties']) ? [[name, shapeOf(schema)]] : [],
  ),
})

/** The names by which a definition is compared with others. */
export interface Names {
  basePaths: string[]
  /** Of all its schemas, also of those that add nothing to the estate. */
  schemas: string[]
}

export const namesIn = ({ servers, schemas }: Contract): Names => ({
  basePaths: [...new Set(servers.map(({ url }) => pathKey(url)).filter((path) => path !== ''))],
  schemas: schemas.map(({ name }) => name),
})

/** APIs by what they hold: by base path, and by the name of a schema and its shape. */
interface EstateIndex {
  basePaths: Map<string, Set<string>>
  schemas: Map<string, Map<string, Set<string>>>
}

function indexOf(parts: readonly EstatePart[]): EstateIndex {
  const basePaths: EstateIndex['basePaths'] = new Map()
  const schemas: EstateIndex['schemas'] = new Map()
  for (const { api, basePaths: paths, schemas: shapes } of parts) {
    for (const path of paths) addTo(basePaths, path, api)
    for (const [name, shape] of shapes) {
      let byShape = schemas.get(name)
      if (!byShape) schemas.set(name, (byShape = new Map<string, Set<string>>()))
      addTo(byShape, shape, api)
    }
  }
  return { basePaths, schemas }
}

function addTo(map: Map<string, Set<string>>, key: string, api: string): void {
  const known = map.get(key)
  if (known) known.add(api)
  else map.set(key, new Set([api]))
}

/** What is held under some names by others than one API. */
function seenIn(index: EstateIndex, { api, basePaths, schemas }: OwnNames): Estate {
  const others = (apis: Iterable<string>) => [...apis].filter((other) => other !== api)
  const seen: Estate = { basePaths: {}, schemas: {} }
  for (const path of basePaths) {
    const apis = others(index.basePaths.get(path) ?? [])
    if (apis.length > 0) seen.basePaths[path] = apis
  }
  for (const name of schemas) {
    const shapes = Array.from(index.schemas.get(name) ?? [], ([shape, apis]) => ({
      shape,
      apis: others(apis),
    })).filter(({ apis }) => apis.length > 0)
    if (shapes.length > 0) seen.schemas[name] = shapes
  }
  return seen
}

/** What all other APIs hold, as one API sees it. */
export function estateOf(parts: EstatePart[], except: string): Estate {
  const index = indexOf(parts.filter(({ api }) => api !== except))
  const [basePaths, schemas] = [index.basePaths.keys(), index.schemas.keys()]
  return seenIn(index, { api: except, basePaths, schemas })
}

/** What one API looks for in the estate: what others have under its own base paths and the names of its schemas. */
export interface OwnNames {
  api: string
  basePaths: Iterable<string>
  schemas: Iterable<string>
}

/**
 * The estate as each API sees it who looks for its own names there. All parts are gone through once, so that many can
 * be checked against one another.
 */
export function estatesOf(parts: readonly EstatePart[]): (own: OwnNames) => Estate {
  const index = indexOf(parts)
  return (own) => seenIn(index, own)
}

/** Whether any of these rules looks at other APIs. */
export const asksForEstate = (rules: { where?: string; expect: string }[]): boolean =>
  rules.some(({ where = '', expect }) =>
    /\b(?:sharesBasePath|differsElsewhere)\(/.test(`${where} ${expect}`),
  )
