import { describe, expect, it } from 'vitest'
import { invalidity } from '../contract/validate'
import { schemasByName } from '../contract/schemas'
import { fromOlderDraft } from './drafts'
import { readable } from '../../tests/support/reading'

describe('words of older drafts', () => {
  it.each<[string, object, object]>([
    [
      'properties that say that they are needed',
      { properties: { a: { required: true }, b: { required: false } }, required: ['c'] },
      { properties: { a: { required: true }, b: { required: false } }, required: ['c', 'a'] },
    ],
    ['a schema that is needed', { type: 'string', required: true }, { type: 'string' }],
    [
      'bounds that are exclusive',
      { minimum: 1, exclusiveMinimum: true, maximum: 9, exclusiveMaximum: false },
      { exclusiveMinimum: 1, maximum: 9 },
    ],
    ['bounds that are numbers', { exclusiveMinimum: 1 }, { exclusiveMinimum: 1 }],
    [
      'a schema for each of the first items',
      { items: [{ type: 'string' }, {}], additionalItems: false },
      { prefixItems: [{ type: 'string' }, {}], items: false },
    ],
    ['multiples', { divisibleBy: 4 }, { multipleOf: 4 }],
    ['what is extended', { extends: { type: 'object' } }, { allOf: [{ type: 'object' }] }],
    ['types that are not allowed', { disallow: ['null'] }, { not: { type: ['null'] } }],
    ['any type', { type: 'any' }, {}],
    [
      'schemas among types',
      { type: ['string', { minimum: 4 }] },
      { anyOf: [{ type: 'string' }, { minimum: 4 }] },
    ],
    [
      'what depends on another property',
      { dependencies: { a: 'b', c: ['d'], e: { required: ['f'] } } },
      {
        dependentRequired: { a: ['b'], c: ['d'] },
        dependentSchemas: { e: { required: ['f'] } },
      },
    ],
  ])('%s', (_what, written, meant) => {
    const schema = structuredClone(written)
    fromOlderDraft(schema as Record<string, unknown>)
    expect(schema).toEqual(meant)
  })

  it('in the JSON schema of a RAML are understood, and types of its own are said where they are', () => {
    const text = `#%RAML 0.8
title: Tides
version: "1"
schemas:
  - tide: |
      { "$schema": "http://json-schema.org/draft-03/schema",
        "properties": {
          "port": { "type": "string", "required": true },
          "at": { "type": "moment" },
          "kind": { "$ref": "#/definitions/kind" } },
        "definitions": {
          "kind": { "properties": { "name": { "required": true } } } } }
/tides: { get: { responses: { 200: { body: { application/json: { schema: tide } } } } } }
`
    const { contract, diagnostics } = readable(text, 'a.raml')
    const tide = schemasByName(contract).get('tide')
    expect(invalidity(contract, { at: 4 }, tide)).toContain('has no "port"')
    expect(invalidity(contract, { port: 'a', kind: {} }, tide)).toContain('has no "name"')
    expect(invalidity(contract, { port: 'a', at: 4 }, tide)).toBeUndefined()
    expect(diagnostics).toEqual([
      {
        severity: 'warning',
        message: '"moment" is no type of JSON Schema; anything is taken for it',
        file: 'a.raml',
        line: 9,
        column: 19,
      },
    ])
  })
})
