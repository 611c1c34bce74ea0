/// <reference types="vite/client" />
import * as pinia from 'pinia'
import * as vue from 'vue'
import { effectScope, reactive, type EffectScope } from 'vue'
import { vi } from 'vitest'

/** What the framework gives every module of the application by itself; the server is a function for each operation. */
export const server: Record<string, ReturnType<typeof vi.fn>> = {}

// Libraries look whether there is a window as soon as they are loaded.
Object.assign(globalThis, {
  window: new EventTarget(),
  document: { body: {}, documentElement: { dataset: {} } },
})

/** The address, as the router has it. */
export const address = reactive({ path: '/', fullPath: '/', query: {} })
/** Where somebody is by now; a page that is being left keeps its own address. */
export const currentRoute = { value: { path: '/' } }
export const replaced = vi.fn(({ query }: { query: Record<string, unknown> }) => {
  address.query = query
  return Promise.resolve()
})

/** A stream of changes that tests feed by hand. */
export class FakeEvents {
  static open: FakeEvents[] = []
  onmessage: (event: { data: string }) => void = () => undefined
  closed = false
  constructor(readonly url: string) {
    FakeEvents.open.push(this)
  }
  close() {
    this.closed = true
  }
}

const modules = import.meta.glob<Record<string, unknown>>([
  '../../app/composables/*.ts',
  '../../app/utils/{api,words,rollouts,rules,records,fields}.ts',
  '../../app/stores/*.ts',
])

/** Makes names known everywhere as the framework does. */
export async function asInNuxt(): Promise<void> {
  for (const [name, value] of Object.entries({ ...vue, ...pinia })) vi.stubGlobal(name, value)
  vi.stubGlobal('HTMLElement', class {})
  vi.stubGlobal('EventSource', FakeEvents)
  vi.stubGlobal('useRoute', () => address)
  vi.stubGlobal('useRouter', () => ({ replace: replaced, currentRoute }))
  vi.stubGlobal('navigateTo', vi.fn())
  for (const load of Object.values(modules))
    for (const [name, value] of Object.entries(await load())) vi.stubGlobal(name, value)
  vi.stubGlobal('api', server)
  pinia.setActivePinia(pinia.createPinia())
}

/** Runs something as a component's setup; `leave` is its end. */
export function mounted<T>(setup: () => T): { result: T; leave: () => void; scope: EffectScope } {
  const scope = effectScope()
  const result = scope.run(setup)!
  return { result, scope, leave: () => scope.stop() }
}
