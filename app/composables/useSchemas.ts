import type { Schema } from '~~/core/contract/model'
import { joined, referencedName } from '~~/core/contract/schemas'

type Resolve = (schema: Schema) => Promise<Schema>

const key: InjectionKey<Resolve> = Symbol('schemas')

/** Lets the schema trees below a screen load the named schemas of a revision, each once, when it is opened. */
export function provideSchemas(slug: () => string, revision: () => number): void {
  const loaded = new Map<string, Promise<Schema>>()
  const load = (name: string) => {
    const key = `${slug()}/${revision()}/${name}`
    let known = loaded.get(key)
    if (!known) {
      const place = { api: slug(), revision: revision(), schema: name }
      known = api.getSchema(place).then(({ detail }) => detail)
      loaded.set(key, known)
    }
    return known
  }
  /** What a schema says in the end; one that goes in a circle says no more than where it begins anew. */
  const resolve = async (
    schema: Schema,
    before: ReadonlySet<string> = new Set(),
  ): Promise<Schema> => {
    if (typeof schema !== 'object' || typeof schema['$ref'] !== 'string') return schema
    const name = referencedName(schema['$ref'])
    if (name === undefined || before.has(name)) return schema
    const target = await resolve(await load(name), new Set([...before, name]))
    return joined(schema, target)
  }
  provide(key, (schema) => resolve(schema))
}

export const useSchemas = (): Resolve => inject(key)!
