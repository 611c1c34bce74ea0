import { fieldsOf, type ApiClass, type FieldSchema, type Variants } from './fields'

/** Describes classes as JSON Schemas, collecting every class that is reached. */
export class Describer {
  readonly schemas: Record<string, FieldSchema> = {}

  /** A reference to the class's schema, which is described on first use. */
  reference(type: ApiClass): FieldSchema {
    if (!(type.name in this.schemas)) {
      this.schemas[type.name] = {}
      this.schemas[type.name] = this.describe(type)
    }
    return { $ref: `#/components/schemas/${type.name}` }
  }

  private oneOf({ by, of }: Variants): FieldSchema {
    const references = Object.entries(of).map(
      ([name, type]) => [name, this.reference(type)] as const,
    )
    const isNamed = !('true' in of)
    const mapping = Object.fromEntries(references.map(([name, { $ref }]) => [name, $ref]))
    return {
      oneOf: references.map(([, reference]) => reference),
      // Names of a discriminator are texts.
      ...(isNamed && { discriminator: { propertyName: by, mapping } }),
    }
  }

  private describe(type: ApiClass): FieldSchema {
    const fields = [...fieldsOf(type)]
    const required = fields.filter(([, info]) => !info.optional).map(([name]) => name)
    const properties = fields.map(
      ([name, { schema, of, variants, many }]): [string, FieldSchema] => {
        if (variants) return [name, { ...schema, ...this.oneOf(variants) }]
        if (!of) return [name, schema]
        const reference = this.reference(of())
        return [
          name,
          many ? { ...schema, type: 'array', items: reference } : { ...schema, ...reference },
        ]
      },
    )
    return {
      type: 'object',
      ...(required.length > 0 && { required }),
      properties: Object.fromEntries(properties),
    }
  }
}

/** A value of the class made of its fields' examples. */
export function exampleOf(type: ApiClass): Record<string, unknown> {
  return Object.fromEntries(
    [...fieldsOf(type)].map(([name, { of, variants, many, example }]) => {
      if (variants) return [name, exampleOf(Object.values(variants.of)[0]!)]
      if (!of) return [name, example]
      return [name, many ? [exampleOf(of())] : exampleOf(of())]
    }),
  )
}
