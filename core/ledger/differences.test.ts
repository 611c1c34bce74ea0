import fc from 'fast-check'
import { expect, it } from 'vitest'
import { valueChanges } from './differences'

it('names what changed by its path, items of lists by what they go by', () => {
  const before = {
    limit: { requests: 60 },
    routes: [
      { method: 'GET', path: '/a', to: 'main' },
      { method: 'GET', path: '/b', to: 'main' },
    ],
  }
  const after = {
    limit: { requests: 600 },
    routes: [
      { method: 'GET', path: '/b', to: 'main' },
      { method: 'GET', path: '/a', to: 'mock' },
    ],
  }
  expect(valueChanges(before, after)).toEqual([
    { path: 'limit.requests', before: 60, after: 600 },
    { path: 'routes.GET /a.to', before: 'main', after: 'mock' },
  ])
  expect(valueChanges(null, { version: '1' })).toEqual([
    { path: 'version', before: undefined, after: '1' },
  ])
  expect(valueChanges({ a: [1] }, { a: 'x' })).toEqual([{ path: 'a', before: [1], after: 'x' }])
})

it('finds nothing between equals, and something between others', () => {
  fc.assert(
    fc.property(fc.jsonValue(), fc.jsonValue(), (a, b) => {
      expect(valueChanges(a, a)).toEqual([])
      const same = JSON.stringify(a) === JSON.stringify(b)
      if (!same && isFull(a) && isFull(b)) expect(valueChanges(a, b).length).toBeGreaterThan(0)
    }),
  )
})

/** Empty lists and objects have no values to differ in. */
const isFull = (value: unknown) => typeof value !== 'object' || value === null
