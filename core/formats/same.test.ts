import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { compareContracts } from '../compare/contracts'
import { happeningOf } from '../compare/words'
import type { Contract } from '../contract/model'
import { convert } from './convert'
import { contractOf, readable } from '../../tests/support/reading'

/** What of a comparison, there and back, somebody's program would notice. */
const noticed = (one: Contract, other: Contract): string[] =>
  [...compareContracts(one, other), ...compareContracts(other, one)]
    .filter(({ effect }) => effect !== 'safe')
    .map((change) => `${change.effect} ${change.operation}: ${happeningOf(change)}`)

const files = [
  'customer-accounts/3.2.5.yaml',
  'leak-sensors/0.3.0.yaml',
  'meter-readings/3.9.2.yaml',
  'meter-readings/4.0.0.yaml',
  'payments-desk/1.4.0.yaml',
  'reservoir-levels/1.2.0.json',
  'supply-interruptions/2.4.0.yaml',
  'connections-and-permits/1.0.3.json',
  'tanker-dispatch/0.9.4.raml',
]

describe('a definition that was converted is the same as before', () => {
  it.each(files)('%s', (file) => {
    const { contract } = readable(readFileSync(`demo/definitions/${file}`, 'utf8'), file)
    for (const target of ['openapi-3.0', 'openapi-3.1', 'openapi-3.2'] as const) {
      const { text, losses } = convert(contract, target)
      const lost = losses.map(({ at }) => at)
      const found = noticed(contract, readable(text).contract)
      expect(lost.length > 0 ? [] : found, target).toEqual([])
    }
  })
})

const inVersion = (openapi: string, schema: object, parameter: object = {}) =>
  contractOf({
    openapi,
    info: { title: 'Hydrants', version: '1.0.0' },
    servers: [{ url: 'https://a.example/' }],
    paths: {
      '/hydrants': {
        post: {
          parameters: [{ name: 'p', in: 'query', schema: { type: 'string' }, ...parameter }],
          requestBody: { content: { 'application/json': { schema } } },
          responses: { 200: { description: 'Done', content: { 'application/json': { schema } } } },
        },
      },
    },
    components: { schemas: { Pipe: { type: 'object', properties: { dn: { type: 'integer' } } } } },
  })
const pipe = { $ref: '#/components/schemas/Pipe' }

describe('what 3.0 and 3.1 write otherwise is the same', () => {
  it.each<[string, object, object]>([
    ['nullable', { type: 'string', nullable: true }, { type: ['string', 'null'] }],
    [
      'nullable with choices',
      { type: 'string', nullable: true },
      { anyOf: [{ type: 'string' }, { type: 'null' }] },
    ],
    [
      'nullable with a list',
      { type: 'string', nullable: true, enum: ['a', null] },
      { enum: ['a', null] },
    ],
    ['nullable false', { type: 'string', nullable: false }, { type: 'string' }],
    [
      'an exclusive minimum',
      { type: 'number', minimum: 0, exclusiveMinimum: true },
      { type: 'number', exclusiveMinimum: 0 },
    ],
    [
      'an inclusive maximum',
      { type: 'number', maximum: 9, exclusiveMaximum: false },
      { type: 'number', maximum: 9 },
    ],
    ['base64', { type: 'string', format: 'byte' }, { type: 'string', contentEncoding: 'base64' }],
    ['an example', { type: 'string', example: 'a' }, { type: 'string', examples: ['a'] }],
    ['a value', { enum: ['a'] }, { const: 'a' }],
    [
      'bytes',
      { type: 'string', format: 'binary' },
      { type: 'string', contentMediaType: 'application/octet-stream' },
    ],
  ])('%s', (_, old, now) => {
    expect(noticed(inVersion('3.0.3', old), inVersion('3.1.0', now))).toEqual([])
  })
})

const swagger = (parameter: object, schema: object, more: object = {}) =>
  contractOf({
    swagger: '2.0',
    info: { title: 'Hydrants', version: '1.0.0' },
    host: 'a.example',
    schemes: ['https'],
    paths: {
      '/hydrants': {
        post: {
          consumes: ['application/json'],
          produces: ['application/json'],
          parameters: [parameter, { in: 'body', name: 'body', schema }],
          responses: { 200: { description: 'Done', schema } },
          ...more,
        },
      },
    },
    definitions: { Pipe: { type: 'object', properties: { dn: { type: 'integer' } } } },
  })

describe('what Swagger and OpenAPI write otherwise is the same', () => {
  const list = { type: 'array', items: { type: 'string' } }
  it.each<[string, object, object]>([
    [
      'a list with commas',
      { ...list, collectionFormat: 'csv' },
      { schema: list, style: 'form', explode: false },
    ],
    ['a list without more', list, { schema: list, explode: false }],
    ['a list in many', { ...list, collectionFormat: 'multi' }, { schema: list, explode: true }],
    [
      'a list with pipes',
      { ...list, collectionFormat: 'pipes' },
      { schema: list, style: 'pipeDelimited', explode: false },
    ],
    [
      'a list with spaces',
      { ...list, collectionFormat: 'ssv' },
      { schema: list, style: 'spaceDelimited', explode: false },
    ],
    [
      'a number',
      { type: 'integer', format: 'int32', minimum: 1 },
      { schema: { type: 'integer', format: 'int32', minimum: 1 } },
    ],
  ])('%s', (_, old, now) => {
    const before = swagger({ name: 'p', in: 'query', ...old }, { $ref: '#/definitions/Pipe' })
    const after = inVersion('3.0.3', pipe, now)
    expect(noticed(before, after)).toEqual([])
  })
})
