import { describe, expect, it } from 'vitest'
import { searchEntries } from './search'
import { readable } from '../../tests/support/reading'

const text = `openapi: 3.1.0
info:
  title: Hydrants
  version: 2.0.0
  description: Where water comes out.
  contact: { name: Field, email: field@brackenmere.example }
servers: [{ url: https://api.brackenmere.example/hydrants }]
x-data-owner: Network Control
tags: [{ name: Valves, description: What shuts. }]
paths:
  /hydrants/{hydrantId}:
    get:
      operationId: readHydrant
      summary: Read a hydrant
      tags: [Valves]
      x-cost-centre: { number: 4711 }
      parameters:
        - { name: hydrantId, in: path, required: true, description: Painted on it, schema: { type: string } }
      responses: { 200: { description: How it stands } }
components:
  schemas:
    Hydrant:
      type: object
      properties:
        pressure: { type: number, description: In bar }
        parts:
          type: array
          items: { type: object, properties: { thread: { enum: [coarse, fine] } } }
`

function entries(source = text) {
  return searchEntries(readable(source).contract)
}
const named = (name: string) => entries().find((entry) => entry.name === name)

describe('what can be found of a definition', () => {
  it('is itself, its operations, schemas, tags and extensions', () => {
    expect(entries().map(({ kind, name }) => `${kind} ${name}`)).toEqual([
      'api Hydrants',
      'operation GET /hydrants/{hydrantId}',
      'extension x-cost-centre',
      'schema Hydrant',
      'tag Valves',
      'extension x-data-owner',
    ])
  })

  it.each([
    ['Hydrants', 'Where water comes out. 2.0.0 Field field@brackenmere.example'],
    ['GET /hydrants/{hydrantId}', 'readHydrant Read a hydrant Valves hydrantId Painted on it How'],
    ['x-cost-centre', '4711'],
    ['x-data-owner', 'Network Control'],
    ['Valves', 'What shuts.'],
  ])('%s is found by what is said of it', (name, says) => {
    expect(named(name)!.text).toContain(says)
  })

  it('of schemas goes into what is written inside of them', () => {
    for (const word of ['pressure', 'In bar', 'parts', 'thread', 'coarse'])
      expect(named('Hydrant')!.text).toContain(word)
  })

  it('knows where each is written', () => {
    expect(named('Hydrant')!.at).toBe('/components/schemas/Hydrant')
    expect(named('x-cost-centre')!.at).toBe('/paths/~1hydrants~1{hydrantId}/get')
  })

  it('is bounded, however much is said', () => {
    const long = text.replace('In bar', 'bar '.repeat(20_000))
    for (const entry of entries(long)) expect(entry.text.length).toBeLessThanOrEqual(4000)
  })
})
