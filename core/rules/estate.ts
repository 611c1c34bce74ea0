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

export const estatePart = (api: string, { servers, schemas }: Contract): EstatePart => ({
  api,
  basePaths: [...new Set(servers.map(({ url }) => pathKey(url)).filter((path) => path !== ''))],
  schemas: schemas.flatMap(({ name, schema, declared }) =>
    declared && isObject(schema) && isObject(schema['properties']) ? [[name, shapeOf(schema)]] : [],
  ),
})

/** What all other APIs hold, as one API sees it. */
export function estateOf(parts: EstatePart[], except: string): Estate {
  const basePaths = new Map<string, string[]>()
  const schemas = new Map<string, Map<string, string[]>>()
  for (const { api, basePaths: paths, schemas: shapes } of parts) {
    if (api === except) continue
    for (const path of paths) basePaths.set(path, [...(basePaths.get(path) ?? []), api])
    for (const [name, shape] of shapes) {
      const byShape = schemas.get(name) ?? new Map<string, string[]>()
      schemas.set(name, byShape.set(shape, [...(byShape.get(shape) ?? []), api]))
    }
  }
  return {
    basePaths: Object.fromEntries(basePaths),
    schemas: Object.fromEntries(
      [...schemas].map(([name, byShape]) => [
        name,
        [...byShape].map(([shape, apis]) => ({ shape, apis })),
      ]),
    ),
  }
}

/** What one API looks for in the estate: what others have under its own base paths and the names of its schemas. */
export interface OwnNames {
  api: string
  basePaths: string[]
  schemas: string[]
}

/**
 * The estate as each API sees it who looks for its own names there. All parts are gone through once, so that many can
 * be checked against one another.
 */
export function estatesOf(parts: readonly EstatePart[]): (own: OwnNames) => Estate {
  const basePaths = new Map<string, Set<string>>()
  const schemas = new Map<string, Map<string, Set<string>>>()
  for (const part of parts) {
    for (const path of part.basePaths) addTo(basePaths, path, part.api)
    for (const [name, shape] of part.schemas) {
      let byShape = schemas.get(name)
      if (!byShape) schemas.set(name, (byShape = new Map<string, Set<string>>()))
      addTo(byShape, shape, part.api)
    }
  }
  return ({ api, ...own }) => {
    const others = (apis: Iterable<string>) => [...apis].filter((other) => other !== api)
    const seen: Estate = { basePaths: {}, schemas: {} }
    for (const path of own.basePaths) {
      const apis = others(basePaths.get(path) ?? [])
      if (apis.length > 0) seen.basePaths[path] = apis
    }
    for (const name of own.schemas) {
      const shapes = Array.from(schemas.get(name) ?? [], ([shape, apis]) => ({
        shape,
        apis: others(apis),
      })).filter(({ apis }) => apis.length > 0)
      if (shapes.length > 0) seen.schemas[name] = shapes
    }
    return seen
  }
}

function addTo(map: Map<string, Set<string>>, key: string, api: string): void {
  const known = map.get(key)
  if (known) known.add(api)
  else map.set(key, new Set([api]))
}

/** Whether others have nothing that an API has. */
export const isAlone = ({ basePaths, schemas }: Estate): boolean =>
  Object.keys(basePaths).length === 0 && Object.keys(schemas).length === 0

/** Whether any of these rules looks at other APIs. */
export const asksForEstate = (rules: { where?: string; expect: string }[]): boolean =>
  rules.some(({ where = '', expect }) =>
    /\b(?:sharesBasePath|differsElsewhere)\(/.test(`${where} ${expect}`),
  )
