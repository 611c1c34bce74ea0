import { nextTick, ref } from 'vue'
import { afterEach, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest'
import {
  address,
  asInNuxt,
  currentRoute,
  FakeEvents,
  mounted,
  replaced,
} from '../../tests/support/nuxt'
import { Refusal } from '../utils/api'
import { useAct } from './useAct'
import { useChanges } from './useChanges'
import { useFilters } from './useFilters'
import { useLatest } from './useLatest'
import { useLoad } from './useLoad'
import { useRepeating } from './useRepeating'
import { useRows } from './useRows'

beforeAll(asInNuxt)
beforeEach(() => {
  vi.useFakeTimers()
  FakeEvents.open.length = 0
  address.query = {}
  replaced.mockClear()
})
afterEach(() => vi.useRealTimers())

const key = (name: string, more: object = {}) =>
  window.dispatchEvent(Object.assign(new Event('keydown'), { key: name, ...more }))
const conflict = new Refusal({ status: 409, title: 'Conflict', detail: 'Somebody was faster.' })
/** A promise that is settled by hand. */
function pending<T>() {
  let settle!: (value: T) => void
  let fail!: (error: unknown) => void
  const promise = new Promise<T>((resolve, reject) => {
    settle = resolve
    fail = reject
  })
  return { promise, settle, fail }
}

describe('acts of which the latest counts', () => {
  it('hear nothing of an older one that answers or fails late', async () => {
    const { refusal, act } = useLatest()
    const [first, second, third] = [pending<string>(), pending<string>(), pending<string>()]
    const heard: string[] = []
    const acts = [first, second, third].map(({ promise }) =>
      act(
        () => promise,
        (value) => heard.push(value),
      ),
    )
    third.settle('third')
    first.settle('first')
    second.fail(conflict)
    await Promise.all(acts)
    expect(heard).toEqual(['third'])
    expect(refusal.value).toBeUndefined()
  })

  it('keep what was said against the latest', async () => {
    const { refusal, act } = useLatest()
    await act(
      () => Promise.reject(conflict),
      () => undefined,
    )
    expect(refusal.value).toBe(conflict)
  })
})

describe('an act', () => {
  it('runs once at a time, and says whether it runs', async () => {
    const { busy, act } = useAct()
    const first = pending<string>()
    const doing = act(() => first.promise)
    expect(busy.value).toBe(true)
    const second = vi.fn(() => Promise.resolve('second'))
    expect(await act(second)).toBeUndefined()
    expect(second).not.toHaveBeenCalled()
    first.settle('first')
    expect(await doing).toBe('first')
    expect(busy.value).toBe(false)
  })

  it('keeps what was said against it until the next one', async () => {
    const { busy, refusal, act } = useAct()
    expect(await act(() => Promise.reject(conflict))).toBeUndefined()
    expect(refusal.value).toBe(conflict)
    expect(busy.value).toBe(false)
    expect(await act(() => Promise.resolve(1))).toBe(1)
    expect(refusal.value).toBeUndefined()
  })

  it('makes a refusal of whatever goes wrong', async () => {
    const { refusal, act } = useAct()
    await act(() => Promise.reject(new TypeError('x is not a function')))
    expect(refusal.value).toMatchObject({
      title: 'It did not work',
      message: 'x is not a function',
    })
  })
})

describe('something loaded for a screen', () => {
  it('stays beside the error of a later reading', async () => {
    const read = vi.fn(() => Promise.resolve('the list'))
    const { result, leave } = mounted(() => useLoad(read))
    await vi.waitFor(() => expect(result.data.value).toBe('the list'))
    read.mockRejectedValueOnce(conflict)
    await result.reload()
    expect([result.data.value, result.refusal.value]).toEqual(['the list', conflict])
    await result.reload()
    expect(result.refusal.value).toBeUndefined()
    leave()
  })

  it('is read again when the server announces a change of its kind, once for a burst', async () => {
    const read = vi.fn(() => Promise.resolve(0))
    const { leave } = mounted(() => useLoad(read, ['api']))
    const [events] = FakeEvents.open
    expect(events!.url).toBe('/api/v1/events')
    for (const data of ['api', 'ledger', 'api', 'api']) events!.onmessage({ data })
    await vi.advanceTimersByTimeAsync(200)
    expect(read).toHaveBeenCalledTimes(2)
    events!.onmessage({ data: 'ledger' })
    await vi.advanceTimersByTimeAsync(200)
    expect(read).toHaveBeenCalledTimes(2)
    // A stream that broke may have missed anything.
    events!.onmessage({ data: 'reconnected' })
    await vi.advanceTimersByTimeAsync(200)
    expect(read).toHaveBeenCalledTimes(3)
    leave()
  })

  it('is read again for another one of it', async () => {
    const wanted = ref('a')
    const read = vi.fn(() => Promise.resolve(wanted.value))
    const { result, leave } = mounted(() => useLoad(read, [], () => wanted.value))
    await vi.waitFor(() => expect(result.data.value).toBe('a'))
    wanted.value = 'b'
    await vi.waitFor(() => expect(result.data.value).toBe('b'))
    leave()
  })
})

describe('something that answers late', () => {
  it('does not overwrite what was asked for after it', async () => {
    const wanted = ref('a')
    const slow = pending<string>()
    const read = vi.fn(() => (wanted.value === 'a' ? slow.promise : Promise.resolve(wanted.value)))
    const { result, leave } = mounted(() => useLoad(read, [], () => wanted.value))
    wanted.value = 'b'
    await vi.waitFor(() => expect(result.data.value).toBe('b'))
    slow.settle('a')
    await slow.promise
    await nextTick()
    expect(result.data.value).toBe('b')
    expect(result.busy.value).toBe(false)
    leave()
  })
})

describe('changes', () => {
  it('come over one stream for all who listen, which ends with the last of them', async () => {
    const [one, two] = [vi.fn(), vi.fn()]
    const first = mounted(() => useChanges(one))
    const second = mounted(() => useChanges(two))
    expect(FakeEvents.open).toHaveLength(1)
    const [events] = FakeEvents.open
    first.leave()
    events!.onmessage({ data: 'api' })
    await vi.advanceTimersByTimeAsync(200)
    expect([one.mock.calls.length, two.mock.calls.length]).toEqual([0, 1])
    expect(events!.closed).toBe(false)
    second.leave()
    expect(events!.closed).toBe(true)
    mounted(() => useChanges(one)).leave()
    expect(FakeEvents.open).toHaveLength(2)
  })

  it('are not told to a component that went in between', async () => {
    const look = vi.fn()
    const { leave } = mounted(() => useChanges(look))
    FakeEvents.open[0]!.onmessage({ data: 'api' })
    leave()
    await vi.advanceTimersByTimeAsync(500)
    expect(look).not.toHaveBeenCalled()
  })
})

describe('looking again and again', () => {
  it('happens only while there is something to wait for, and ends with the component', async () => {
    let waits = true
    const look = vi.fn()
    const { leave } = mounted(() => useRepeating(() => waits, look))
    await vi.advanceTimersByTimeAsync(3100)
    expect(look).toHaveBeenCalledTimes(2)
    waits = false
    await vi.advanceTimersByTimeAsync(3000)
    waits = true
    leave()
    await vi.advanceTimersByTimeAsync(3000)
    expect(look).toHaveBeenCalledTimes(2)
  })
})

describe('filters', () => {
  it('leave the address alone where somebody has gone on to another page', async () => {
    const { set } = useFilters(['q'])
    currentRoute.value.path = '/elsewhere'
    await set({ q: 'late' })
    currentRoute.value.path = '/'
    expect(replaced).not.toHaveBeenCalled()
    await set({ q: 'now' })
    expect(replaced).toHaveBeenCalledTimes(1)
  })

  it('live in the address, and leave it when they are empty', async () => {
    address.query = { team: 'Field', other: 'kept' }
    const { filters, any, set, toggle, clear } = useFilters(['team', 'q'])
    expect(filters.value).toEqual({ team: 'Field', q: '' })
    expect(any.value).toBe(true)
    await set({ q: 'valve' })
    expect(address.query).toEqual({ team: 'Field', other: 'kept', q: 'valve' })
    await toggle('team', 'Field')
    expect(address.query).toEqual({ other: 'kept', q: 'valve' })
    await toggle('team', 'Metering')
    expect(filters.value.team).toBe('Metering')
    await clear()
    expect([address.query, any.value]).toEqual([{ other: 'kept' }, false])
  })

  it('that are typed stand at once and reach the address a moment later, once', async () => {
    const { result: text, leave } = mounted(() => useFilters(['q']).typed('q'))
    for (const word of ['v', 'va', 'val']) {
      text.value = word
      await nextTick()
      await vi.advanceTimersByTimeAsync(50)
    }
    expect(replaced).not.toHaveBeenCalled()
    await vi.advanceTimersByTimeAsync(200)
    expect(replaced).toHaveBeenCalledTimes(1)
    expect(address.query).toEqual({ q: 'val' })
    address.query = {}
    await nextTick()
    expect(text.value).toBe('')
    leave()
  })
})

describe('rows', () => {
  const list = ref(['a', 'b', 'c'])
  const rows = (more: Parameters<typeof useRows<string>>[1] = {}) =>
    mounted(() => useRows(() => list.value, more))
  beforeEach(() => (list.value = ['a', 'b', 'c']))

  it('are gone through by keyboard, and end at both ends', () => {
    const { result, leave } = rows()
    for (const name of ['j', 'ArrowDown', 'j', 'j']) key(name)
    expect(result.current.value).toBe('c')
    for (const name of ['k', 'ArrowUp', 'k', 'k']) key(name)
    expect(result.current.value).toBe('a')
    key('j', { ctrlKey: true })
    expect(result.current.value).toBe('a')
    leave()
    key('j')
    expect(result.current.value).toBe('a')
  })

  it('stay in range when the list becomes shorter, or empty', async () => {
    const { result, leave } = rows()
    result.selected.value = 2
    list.value = ['a']
    await nextTick()
    expect(result.current.value).toBe('a')
    list.value = []
    await nextTick()
    expect(result.current.value).toBeUndefined()
    leave()
  })

  it('stay the same row when others come before it, where no address names one', async () => {
    const { result, leave } = rows({ naming: { key: (row) => row } })
    expect(result.current.value).toBe('a')
    result.selected.value = 1
    await nextTick()
    list.value = ['x', 'a', 'b', 'c']
    await nextTick()
    expect(result.current.value).toBe('b')
    list.value = ['x', 'a']
    await nextTick()
    expect(result.current.value).toBe('a')
    list.value = ['a', 'x']
    await nextTick()
    expect(result.current.value).toBe('a')
    leave()
  })

  it('follow the address once, and the keyboard after that', async () => {
    const wanted = ref('c')
    const { result, leave } = rows({ naming: { key: (row) => row, wanted: () => wanted.value } })
    expect(result.current.value).toBe('c')
    key('k')
    list.value = [...list.value]
    await nextTick()
    expect(result.current.value).toBe('b')
    wanted.value = 'a'
    await nextTick()
    expect(result.current.value).toBe('a')
    leave()
  })
})
