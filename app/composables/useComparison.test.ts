import { ref } from 'vue'
import { afterEach, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest'
import type { ComparisonItem } from '../../shared/api/comparisons'
import { asInNuxt, FakeEvents, mounted, server } from '../../tests/support/nuxt'
import { Refusal } from '../utils/api'
import { useComparison } from './useComparison'

beforeAll(asInNuxt)
beforeEach(() => {
  vi.useFakeTimers()
  FakeEvents.open.length = 0
  server['listComparisonChanges'] = vi.fn(({ comparison }: { comparison: string }) =>
    Promise.resolve({ items: [{ change: 0, message: `of ${comparison}` }] }),
  )
})
afterEach(() => vi.useRealTimers())

const item = (comparison: string, state: ComparisonItem['state'] = 'done') =>
  ({ comparison, state }) as ComparisonItem
const filters = { effect: '', operation: '', client: '', q: '' }
const settle = () => vi.advanceTimersByTimeAsync(0)
const over = (begin: () => Promise<ComparisonItem>, given = filters) =>
  mounted(() => useComparison(() => ({ begin, filters: given })))
const messages = ({ changes }: ReturnType<typeof useComparison>) =>
  changes.value.map(({ message }) => message)

describe('a comparison on a screen', () => {
  it('is begun, and its changes are listed with the filters that are set', async () => {
    const { result, leave } = over(() => Promise.resolve(item('a')), { ...filters, q: 'gone' })
    await result.begin()
    expect(messages(result)).toEqual(['of a'])
    expect(server['listComparisonChanges']).toHaveBeenCalledWith({
      comparison: 'a',
      q: 'gone',
      limit: 200,
    })
    leave()
  })

  it('is looked at again until it is done', async () => {
    server['getComparison'] = vi
      .fn()
      .mockResolvedValueOnce({ ...item('a', 'running'), done: 3 })
      .mockResolvedValue(item('a'))
    const { result, leave } = over(() => Promise.resolve(item('a', 'waiting')))
    await result.begin()
    expect(messages(result)).toEqual([])
    await vi.advanceTimersByTimeAsync(1500)
    expect(result.item.value).toMatchObject({ state: 'running', done: 3 })
    await vi.advanceTimersByTimeAsync(1500)
    expect(messages(result)).toEqual(['of a'])
    await vi.advanceTimersByTimeAsync(6000)
    expect(server['getComparison']).toHaveBeenCalledTimes(2)
    leave()
  })

  it('is another one as soon as it is asked for, whatever is still on its way', async () => {
    const which = ref('a')
    const held: (() => void)[] = []
    const { result, leave } = over(() => {
      const made = item(which.value)
      return new Promise((resolve) => held.push(() => resolve(made)))
    })
    void result.begin()
    which.value = 'b'
    void result.begin()
    // A filter that is cleared with the sides asks for a list meanwhile.
    void result.list()
    held[1]!()
    await settle()
    held[0]!()
    await settle()
    expect(result.item.value).toMatchObject({ comparison: 'b' })
    expect(messages(result)).toEqual(['of b'])
    leave()
  })

  it('goes on page by page', async () => {
    server['listComparisonChanges'] = vi
      .fn()
      .mockResolvedValueOnce({ items: [{ message: 'first' }], nextCursor: 'more' })
      .mockResolvedValueOnce({ items: [{ message: 'second' }] })
    const { result, leave } = over(() => Promise.resolve(item('a')))
    await result.begin()
    expect(result.hasMore.value).toBe(true)
    await result.more()
    expect(messages(result)).toEqual(['first', 'second'])
    expect(result.hasMore.value).toBe(false)
    leave()
  })

  it('keeps what was said against it until the next one', async () => {
    const refused = new Refusal({ status: 404, title: 'Not found', detail: 'No such version.' })
    let fails = true
    const { result, leave } = over(() =>
      fails ? Promise.reject(refused) : Promise.resolve(item('a')),
    )
    await result.begin()
    expect(result.refusal.value).toBe(refused)
    fails = false
    await result.begin()
    expect(result.refusal.value).toBeUndefined()
    leave()
  })
})
