import { nextTick } from 'vue'
import { afterEach, beforeAll, beforeEach, describe, expect, it, vi } from 'vitest'
import { asInNuxt, mounted, server } from '../../tests/support/nuxt'
import { Refusal } from '../utils/api'
import { useRulebookDraft } from './useRulebookDraft'

/** What this browser keeps. */
const kept = new Map<string, unknown>()
vi.mock('idb-keyval', () => ({
  get: (key: string) => Promise.resolve(kept.get(key)),
  set: (key: string, value: unknown) => Promise.resolve(void kept.set(key, value)),
  del: (key: string) => Promise.resolve(void kept.delete(key)),
}))

/** The worker that reads what is written. */
const sent: { text: string }[] = []
class FakeWorker {
  onmessage: unknown
  postMessage(request: { text: string }) {
    sent.push(request)
  }
  terminate() {
    this.onmessage = undefined
  }
}

const raw: Record<string, ReturnType<typeof vi.fn>> = {}
const reply = (body: object, etag: string) =>
  Promise.resolve(new Response(JSON.stringify(body), { headers: { etag } }))
const draftOf = (text: string) => ({ rulebook: 'house', text, edition: 3, changes: [] })
const faster = new Refusal({ status: 412, title: 'Changed in between' })

let leaving: () => Promise<void>
beforeAll(async () => {
  await asInNuxt()
  vi.stubGlobal('onMounted', (work: () => void) => void work())
  vi.stubGlobal('onUnmounted', () => undefined)
  vi.stubGlobal('onBeforeRouteLeave', (work: () => Promise<void>) => (leaving = work))
  vi.stubGlobal('Worker', FakeWorker)
  Object.assign(server, { raw })
})
beforeEach(() => {
  vi.useFakeTimers()
  kept.clear()
  sent.length = 0
  server['getRulebook'] = vi.fn(() => Promise.resolve({ domain: 'brackenmere.example', words: [] }))
  raw['getRulebookDraft'] = vi.fn(() => reply(draftOf('rules: []'), '"1"'))
  raw['replaceRulebookDraft'] = vi.fn((_, { text }: { text: string }) =>
    reply(draftOf(text), '"2"'),
  )
  server['publishEdition'] = vi.fn(() => Promise.resolve({ edition: 4 }))
})
afterEach(() => vi.useRealTimers())

async function opened() {
  const { result, leave } = mounted(() => useRulebookDraft(() => 'house'))
  await vi.waitFor(() => expect(result.draft.value).toBeDefined())
  await vi.runAllTimersAsync()
  return { ...result, leave }
}

describe('the draft of a rulebook', () => {
  it('is read by the worker as soon as it is there, and a moment after each change', async () => {
    const draft = await opened()
    expect(sent.map(({ text }) => text)).toEqual(['rules: []'])
    draft.typed('rules: [a')
    draft.typed('rules: [a]')
    expect(sent).toHaveLength(1)
    await vi.runAllTimersAsync()
    expect(sent.map(({ text }) => text)).toEqual(['rules: []', 'rules: [a]'])
    expect(draft.shownText.value).toBe('rules: []')
    draft.write('rules: [b]')
    expect(draft.shownText.value).toBe('rules: [b]')
  })

  it('keeps what is not saved in this browser, and brings it back with its state', async () => {
    const first = await opened()
    first.typed('rules: [mine]')
    await nextTick()
    await vi.runAllTimersAsync()
    expect(kept.get('rulebook:house')).toMatchObject({ text: 'rules: [mine]', etag: '"1"' })
    first.leave()
    raw['getRulebookDraft'] = vi.fn(() => reply(draftOf('rules: [theirs]'), '"9"'))
    const second = await opened()
    expect(second.text.value).toBe('rules: [mine]')
    expect(second.restored.value).toMatchObject({ text: 'rules: [mine]' })
    expect(second.dirty.value).toBe(true)
    raw['replaceRulebookDraft'] = vi.fn(() => Promise.reject(faster))
    expect(await second.save()).toBe(false)
    expect(raw['replaceRulebookDraft']).toHaveBeenCalledWith(
      { rulebook: 'house' },
      { text: 'rules: [mine]' },
      { ifMatch: '"1"' },
    )
    expect(second.saving.refusal.value).toBe(faster)
  })

  it('is saved in place of what somebody else saved only when that was read', async () => {
    const draft = await opened()
    draft.typed('rules: [mine]')
    raw['getRulebookDraft'] = vi.fn(() => reply(draftOf('rules: [theirs]'), '"9"'))
    expect(await draft.saveOver()).toBe(true)
    expect(raw['replaceRulebookDraft']).toHaveBeenCalledWith(
      { rulebook: 'house' },
      { text: 'rules: [mine]' },
      { ifMatch: '"9"' },
    )
    expect(draft.dirty.value).toBe(false)
    expect(kept.has('rulebook:house')).toBe(false)
  })

  it('is given up for what was saved', async () => {
    const draft = await opened()
    draft.typed('rules: [mine]')
    await leaving()
    expect(kept.has('rulebook:house')).toBe(true)
    await draft.discard()
    expect(draft.text.value).toBe('rules: []')
    expect(kept.has('rulebook:house')).toBe(false)
  })

  it('is saved before it is published, and not published where it cannot be saved', async () => {
    const draft = await opened()
    draft.typed('rules: [mine]')
    expect(await draft.publish('Ask for less')).toBe(4)
    expect(server['publishEdition']).toHaveBeenCalledWith(
      { rulebook: 'house' },
      { note: 'Ask for less' },
      { ifMatch: '"2"' },
    )
    server['publishEdition']!.mockClear()
    draft.typed('rules: [more]')
    raw['replaceRulebookDraft'] = vi.fn(() => Promise.reject(faster))
    expect(await draft.publish('Ask for more')).toBeUndefined()
    expect(server['publishEdition']).not.toHaveBeenCalled()
  })
})
