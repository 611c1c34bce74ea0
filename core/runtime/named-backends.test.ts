import { describe, expect, it } from 'vitest'
import { contractOf, readable } from '../../tests/support/reading'
import { convert } from '../formats/convert'
import { backendsFor, namedBackends, withBackends } from './named-backends'

const written = {
  openapi: '3.1.0',
  info: { title: 'Hydrants', version: '1.0.0' },
  'x-elm-backend': 'register',
  'x-elm-backends': {
    register: { url: 'http://register.internal:8080/v1/', timeoutMs: 2500 },
    'Not a name': { url: 'http://a' },
    probes: { url: 'ftp://probes', timeoutMs: 1 },
  },
  paths: {
    '/hydrants': {
      get: { responses: { 200: { description: 'All' } } },
      post: { 'x-elm-backend': 'writer', responses: { 201: { description: 'Made' } } },
    },
    '/pressures': {
      'x-elm-backend': 'probes',
      get: { responses: { 200: { description: 'All' } } },
      delete: { 'x-elm-backend': '../register', responses: { 204: { description: 'Gone' } } },
    },
  },
}
const contract = contractOf(written)
const served = (from = contract) => {
  const { of } = namedBackends(from)
  return from.operations.map((one) => `${one.method} ${one.path} ${of(one)}`).sort()
}

describe('backends that a definition names', () => {
  it('are those of the root, a path or an operation, the innermost deciding', () => {
    expect(served()).toEqual([
      'delete /pressures probes',
      'get /hydrants register',
      'get /pressures probes',
      'post /hydrants writer',
    ])
  })

  it('have their address and timeout where these are fit', () => {
    expect(namedBackends(contract).backends).toEqual([
      { name: 'register', url: 'http://register.internal:8080/v1', timeoutMs: 2500 },
      { name: 'probes' },
      { name: 'writer' },
    ])
  })

  it('come after those that are known, which keep their addresses', () => {
    const known = [{ name: 'register', url: 'http://other', timeoutMs: 9 }]
    expect(backendsFor(known, namedBackends(contract).backends)).toEqual([
      ...known,
      { name: 'probes', url: '', timeoutMs: 5000 },
      { name: 'writer', url: '', timeoutMs: 5000 },
    ])
  })

  it('are written from a placement, and read again as they were written', () => {
    const routed = {
      backends: [
        { name: 'one', url: 'http://one', timeoutMs: 500 },
        { name: 'unused', url: 'http://unused', timeoutMs: 500 },
      ],
      routes: [
        { method: 'GET', path: '/hydrants', treatment: { kind: 'route', backend: 'one' } as const },
        { method: 'POST', path: '/hydrants', treatment: { kind: 'mock' } as const },
      ],
    }
    for (const target of ['openapi-3.1', 'openapi-3.0', 'swagger-2.0'] as const) {
      const { text } = convert(withBackends(contract, routed), target)
      const read = readable(text)
      expect(served(read.contract), target).toEqual([
        'delete /pressures undefined',
        'get /hydrants one',
        'get /pressures undefined',
        'post /hydrants undefined',
      ])
      expect(namedBackends(read.contract).backends).toEqual([
        { name: 'one', url: 'http://one', timeoutMs: 500 },
      ])
    }
  })
})
