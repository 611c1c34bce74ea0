import { beforeAll, expect, it } from 'vitest'
import { asInNuxt, mounted } from '../../tests/support/nuxt'
import { usePages } from './usePages'

beforeAll(asInNuxt)

const all = ['a', 'b', 'c', 'd', 'e']
type Page = { items: string[]; nextCursor?: string }
const pageAt = (from: number, limit: number): Page => ({
  items: all.slice(from, from + limit),
  ...(from + limit < all.length && { nextCursor: String(from + limit) }),
})
const open = () =>
  mounted(() =>
    usePages<Page>(2, ({ cursor, limit }) => Promise.resolve(pageAt(Number(cursor ?? 0), limit))),
  )

it('goes on where a page ended, and no further than there is', async () => {
  const { result } = open()
  await result.load()
  expect(result.items.value).toEqual(['a', 'b'])
  for (let turn = 0; turn < 4; turn++) await result.more()
  expect(result.items.value).toEqual(all)
  await result.load()
  expect(result.items.value).toEqual(['a', 'b'])
})

it('asks again for as much as is shown', async () => {
  const { result } = open()
  await result.load()
  await result.more()
  await result.refresh()
  expect(result.items.value).toEqual(['a', 'b', 'c', 'd'])
  await result.more()
  expect(result.items.value).toEqual(all)
})

it('hears the latest question alone', async () => {
  const waiting: ((page: Page) => void)[] = []
  const { result } = mounted(() =>
    usePages<Page>(2, () => new Promise((tell) => waiting.push(tell))),
  )
  const first = result.load()
  const second = result.load()
  waiting[1]!({ items: ['new'] })
  await second
  waiting[0]!({ items: ['old'] })
  await first
  expect(result.items.value).toEqual(['new'])
})
