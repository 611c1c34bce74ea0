import { describe, expect, it } from 'vitest'
import { looksLikeDefinition, mayBeWhole } from './detect'

describe('a text', () => {
  it.each([
    ['OpenAPI in JSON', '{ "info": { "title": "A" }, "openapi": "3.1.0" }'],
    ['Swagger in JSON, its version last', '{"paths":{"/a":{"x":["}","{"]}},"swagger":"2.0"}'],
    ['OpenAPI in YAML’s flow style', '{ openapi: 3.1.0, info: {} }'],
    ['OpenAPI in YAML', '# A comment\nopenapi: 3.1.0\n'],
    ['RAML', '#%RAML 1.0\ntitle: A\n'],
    ['a RAML overlay', '#%RAML 1.0 Overlay\nextends: a.raml\n'],
    ['WSDL', '<?xml version="1.0"?>\n<w:definitions xmlns:w="http://schemas.xmlsoap.org/wsdl/"/>'],
    ['WADL', '<application xmlns="http://wadl.dev.java.net/2009/02"/>'],
    ['broken JSON', '{ "openapi": "3.1.0", "info": { "title": "A'],
  ])('that is %s looks like a definition', (_what, text) => {
    expect(looksLikeDefinition(text)).toBe(true)
  })

  it.each([
    ['a package that depends on one', '{ "name": "a", "dependencies": { "openapi": "3.0.0" } }'],
    ['a package that is about one', '{ "keywords": ["openapi", "swagger"], "version": "2.0" }'],
    ['a schema of JSON', '{ "$schema": "https://json-schema.org/draft/2020-12/schema" }'],
    ['a part of a definition', 'type: object\nproperties: { openapi: { type: string } }\n'],
    ['a RAML fragment', '#%RAML 1.0 DataType\ntype: object\n'],
    ['another XML document', '<application xmlns="urn:other"/>'],
    ['empty', ''],
  ])('that is %s does not', (_what, text) => {
    expect(looksLikeDefinition(text)).toBe(false)
  })
})

describe('a file', () => {
  it.each(['a.json', 'b/a.YAML', 'a.yml', 'a.raml', 'a.wsdl', 'a.wadl', 'a.xml'])(
    'called %s may be a definition by itself',
    (name) => expect(mayBeWhole(name)).toBe(true),
  )
  it.each(['a.xsd', 'readme.md', 'a.txt', 'json'])('called %s is a part at most', (name) =>
    expect(mayBeWhole(name)).toBe(false),
  )
})
