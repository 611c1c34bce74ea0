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

/** Whether any of these rules looks at other APIs. */
export const asksForEstate = (rules: { where?: string; expect: string }[]): boolean =>
  rules.some(({ where = '', expect }) =>
    /\b(?:sharesBasePath|differsElsewhere)\(/.test(`${where} ${expect}`),
  )
