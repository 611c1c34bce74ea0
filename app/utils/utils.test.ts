import { afterEach, describe, expect, it, vi } from 'vitest'
import { api, asRefusal, Refusal } from './api'
import { chosenFiles, droppedFiles } from './dropped'
import {
  clipped,
  kindWord,
  linesOf,
  markSign,
  markWords,
  requestTitle,
  short,
  spelled,
} from './words'

afterEach(() => vi.unstubAllGlobals())

describe('words of a screen', () => {
  it.each([
    [spelled(0), 'No'],
    [spelled(12), 'Twelve'],
    [spelled(1300), '1,300'],
    [short(999), '999'],
    [short(1300), '1.3K'],
    [clipped('a long word', 6), 'a lon…'],
    [clipped('short', 6), 'short'],
    [markSign('differs', 3), '≠ 3'],
    [markSign('unseen'), '?'],
    [markSign('in-step'), '='],
    [markWords('differs', 1), 'differs in 1 place'],
    [markWords('unseen'), 'the gateway has not been read'],
    [kindWord({ kind: 'keep' }), 'keep what runs'],
    [kindWord({ kind: 'promotion' }), 'a promotion'],
    [
      requestTitle({ kind: 'removal', title: 'Supply', version: '2', to: 'Live' }),
      'Remove Supply 2 from Live',
    ],
    [
      requestTitle({ kind: 'promotion', title: 'Supply', version: '2', to: 'Live' }),
      'Supply 2 into Live',
    ],
  ])('%s', (said, wanted) => {
    expect(said).toBe(wanted)
  })

  it('lines are taken without what is empty', () => {
    expect(linesOf(' a \n\n\tb\n')).toEqual(['a', 'b'])
  })
})

describe('the way to the server', () => {
  const answers = (response: () => Promise<Response>) => vi.stubGlobal('fetch', vi.fn(response))

  it('throws what the server says, in its words', async () => {
    const problem = {
      type: '/problems/conflict',
      status: 409,
      title: 'Conflict',
      detail: 'Somebody was faster.',
      faults: [{ field: 'a', message: 'b' }],
    }
    answers(() =>
      Promise.resolve(Response.json(problem, { status: 409, headers: { etag: '"7"' } })),
    )
    await expect(api.getSelf()).rejects.toMatchObject({
      status: 409,
      title: 'Conflict',
      message: 'Somebody was faster.',
      faults: problem.faults,
      etag: '"7"',
    })
  })

  it('says so where the server does not answer, or answers something else', async () => {
    answers(() => Promise.reject(new TypeError('failed')))
    await expect(api.getSelf()).rejects.toMatchObject({ title: 'The server does not answer' })
    answers(() => Promise.resolve(new Response('<html>', { status: 502 })))
    await expect(api.getSelf()).rejects.toMatchObject({
      status: 502,
      message: 'The server did not say why.',
    })
  })

  it('leaves an ended request what it is', async () => {
    const ended = new AbortController()
    answers(() => {
      ended.abort()
      return Promise.reject(new DOMException('', 'AbortError'))
    })
    await expect(api.listMatches({ q: 'a' }, { signal: ended.signal })).rejects.toMatchObject({
      name: 'AbortError',
    })
  })

  it('makes one kind of every error', () => {
    const refusal = new Refusal({ status: 403 })
    expect(asRefusal(refusal)).toBe(refusal)
    expect(asRefusal('x')).toMatchObject({ title: 'It did not work', message: 'x' })
  })
})

interface Entry {
  name: string
  isFile: boolean
  file?: (take: (file: File) => void) => void
  createReader?: () => { readEntries: (take: (entries: Entry[]) => void) => void }
}
const file = (name: string): Entry => ({
  name,
  isFile: true,
  file: (take) => take(new File(['x'], name)),
})
/** A folder whose reader gives its entries in portions of two. */
const folder = (name: string, children: Entry[]): Entry => ({
  name,
  isFile: false,
  createReader() {
    const left = [...children]
    return { readEntries: (take) => take(left.splice(0, 2)) }
  },
})
const dropped = (entries: Entry[]) =>
  droppedFiles({
    items: entries.map((entry) => ({ webkitGetAsEntry: () => entry })),
    files: [],
  } as never)

describe('files that are dropped', () => {
  it('are found in every folder, by the names they have from there', async () => {
    const tree = folder('apis', [
      file('a.yaml'),
      file('b.yaml'),
      folder('types', [file('c.yaml')]),
      file('d.yaml'),
    ])
    const found = await dropped([tree, file('e.yaml')])
    expect(found.map(({ name }) => name)).toEqual([
      'apis/a.yaml',
      'apis/b.yaml',
      'apis/types/c.yaml',
      'apis/d.yaml',
      'e.yaml',
    ])
  })

  it('leave out what no definition is in, and end somewhere', async () => {
    const many = folder(
      'many',
      Array.from({ length: 6000 }, (_, i) => file(`${i}.yaml`)),
    )
    const found = await dropped([
      folder('.git', [file('x')]),
      folder('node_modules', [file('y')]),
      many,
    ])
    expect(found).toHaveLength(5000)
  })

  it('have their own names where there are no folders', async () => {
    const files = [new File([''], 'a.yaml')]
    const list = await droppedFiles({ items: [], files } as never)
    expect(list.map(({ name }) => name)).toEqual(['a.yaml'])
    expect(chosenFiles(files)[0]!.name).toBe('a.yaml')
  })
})
