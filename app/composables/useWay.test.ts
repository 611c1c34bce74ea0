import { ref } from 'vue'
import { beforeAll, expect, it } from 'vitest'
import type { Scope } from '../../core/runtime/resolve'
import type { SpecBody } from '../../shared/api/placements'
import { asInNuxt, mounted } from '../../tests/support/nuxt'
import { asValues, ofKind, readLines, withMember } from '../utils/shapes'
import { differingOf, itemOf } from '../utils/way'
import { kindOf } from '../../core/runtime/policies'
import { useWay } from './useWay'

beforeAll(asInNuxt)

const spec = (): SpecBody => ({
  host: 'a.example',
  basePath: '/v1',
  prefix: { kind: 'strip' },
  backends: [{ name: 'main', url: 'http://10.0.0.1', timeoutMs: 1000 }],
  routes: ['/a', '/b'].map((path) => ({
    method: 'GET',
    path,
    treatment: { kind: 'route', backend: 'main' },
  })),
  policies: { authentication: { kind: 'none', reason: 'a test' } },
})
const outer: Scope[] = [
  {
    kind: 'stage',
    name: 'Live',
    policies: { rate: { requests: 60, seconds: 60, per: 'client' } },
    binding: ['rate'],
  },
]
const open = () => mounted(() => useWay(ref(spec()), ref(outer)))
type Opened = ReturnType<typeof open>
const textOf = ({ result }: Opened, title: string) =>
  result.items.value.find((item) => item.title === title)?.text

it('shows what holds, and what somebody writes as soon as it can be read', () => {
  const way = open()
  const { result } = way
  expect(textOf(way, 'Rate limit')).toBe('60 / minute')
  result.selected.value = 'rate'
  expect(result.now.value).toMatchObject({ from: { kind: 'stage', name: 'Live' } })
  result.current.value = { requests: 0, seconds: 60, per: 'client' }
  expect(textOf(way, 'Rate limit')).toBe('not complete yet')
  expect(result.complaints.value.map(({ message }) => message)).toContain(
    'Rate limit is not complete',
  )
  result.current.value = { requests: 600, seconds: 60, per: 'client' }
  expect(textOf(way, 'Rate limit')).toBe('60 / minute')
  expect(result.complaints.value[0]!.message).toMatch(/binding for stage Live/)
  result.current.value = { requests: 5, seconds: 60, per: 'client' }
  expect(textOf(way, 'Rate limit')).toBe('5 / minute')
  result.current.value = undefined
  expect(textOf(way, 'Rate limit')).toBe('60 / minute')
  way.leave()
})

it('writes for one operation what is said while it is looked at', () => {
  const way = open()
  const { result } = way
  result.operation.value = 'GET /b'
  result.selected.value = 'body'
  result.current.value = { bytes: 100, mediaTypes: [] }
  expect(result.own.value).toEqual(['GET /b'])
  expect(textOf(way, 'Request body')).toBe('bodies to 100 B')
  result.operation.value = 'GET /a'
  expect(textOf(way, 'Request body')).toBeUndefined()
  result.operation.value = 'GET /b'
  result.current.value = undefined
  expect(result.own.value).toEqual([])
  way.leave()
})

it('finds the step that a difference is about', () => {
  const { result, leave } = open()
  const items = result.items.value
  expect(['rate limit', 'keys', 'address', 'route'].map((what) => itemOf({ what }, items))).toEqual(
    ['rate', 'authentication', 'Backend main', 'Route table'],
  )
  const differences = ['rate limit', 'rate limit', 'prefix'].map((what) => ({ what }) as never)
  expect([...differingOf(differences, items)]).toEqual([
    ['rate', 2],
    ['Route table', 1],
  ])
  leave()
})

it('keeps what two kinds have in common, and leaves out what is empty', () => {
  const { shape } = kindOf('authentication').config
  if (shape.kind !== 'variants') throw new Error('it is one of several')
  expect(ofKind(shape, { kind: 'none', reason: 'x' }, 'credentials')).toMatchObject({
    kind: 'credentials',
  })
  expect(ofKind(shape, { kind: 'credentials', hint: 'x' }, 'none')).toEqual({
    kind: 'none',
    reason: '',
  })
  const burst = {
    shape: { kind: 'whole', label: '', says: '', min: 1, max: 9, unit: '' },
    optional: true,
  } as const
  expect(withMember({ a: 1, burst: 2 }, 'burst', burst, undefined)).toEqual({ a: 1 })
  expect(readLines(burst.shape, '502, 503\nx')).toEqual([502, 503, 'x'])
  expect(asValues([1])).toEqual({})
})
