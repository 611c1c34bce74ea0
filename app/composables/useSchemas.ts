import type { Schema, SchemaObject } from '~~/core/contract/model'
import { joined, referencedName } from '~~/core/contract/schemas'
import type { PartReading } from '~~/shared/api/reading'

type Resolve = (schema: Schema) => Promise<{ name: string | undefined; schema: Schema }>

const key: InjectionKey<Resolve> = Symbol('schemas')

/** Lets the schema trees below a screen load the named schemas of a revision, each once, when it is opened. */
export function provideSchemas(slug: () => string, revision: () => number): void {
  const loaded = new Map<string, Promise<Schema>>()
  const load = (name: string) => {
    const place = `${slug()}/${revision()}/${name}`
    let known = loaded.get(place)
    if (!known) {
      const path = `/apis/${slug()}/revisions/${revision()}/schemas/${encodeURIComponent(name)}`
      known = api.get<PartReading>(path).then(({ detail }) => detail as Schema)
      loaded.set(place, known)
    }
    return known
  }
  provide(key, async (schema) => {
    const reference = typeof schema === 'object' ? schema['$ref'] : undefined
    const name = typeof reference === 'string' ? referencedName(reference) : undefined
    if (name === undefined) return { name: undefined, schema }
    return { name, schema: joined(schema as SchemaObject, await load(name)) }
  })
}

export const useSchemas = (): Resolve => inject(key)!
