import { afterEach, describe, expect, it, vi } from 'vitest'
import type { RevisionItem, StageCell } from '../../shared/api/catalog'
import type { ComparisonChange } from '../../shared/api/comparisons'
import { api, asRefusal, Refusal } from './api'
import { foldedRows } from './change-rows'
import { chosenFiles, droppedFiles } from './dropped'
import { comparedLines, linesAround } from './lines'
import { sideChoices, sideOf, usualAfter, usualBefore } from './sides'
import {
  excerptBeside,
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

describe('two pieces of text beside each other', () => {
  const piece = (lines: string[], line: number, from = 1) => ({
    text: lines.join('\n'),
    from,
    line,
  })

  it('are one text with what went and what came, without what is beyond the ends of one', () => {
    const old = piece(['above', 'a', 'b', 'c'], 11, 9)
    const now = piece(['a', 'B', 'c', 'below'], 3, 2)
    expect(comparedLines(old, now)).toEqual([
      { sign: ' ', text: 'a' },
      { sign: '-', text: 'b' },
      { sign: '+', text: 'B' },
      { sign: ' ', text: 'c' },
    ])
  })

  it('stay two where they have nothing in common', () => {
    expect(comparedLines(piece(['a'], 1), piece(['b'], 1))).toBeUndefined()
  })

  it('are cut to the lines around the place', () => {
    const lines = Array.from({ length: 60 }, (_, i) => `line ${i}`)
    const changed = lines.map((line, i) => (i === 40 ? 'other' : line))
    const shown = comparedLines(piece(lines, 41), piece(changed, 41))!
    expect(shown.length).toBeLessThan(20)
    expect(shown.filter(({ sign }) => sign !== ' ')).toHaveLength(2)
    expect(linesAround(piece(lines, 41)).filter(({ isPlace }) => isPlace)).toEqual([
      { text: 'line 40', isPlace: true },
    ])
  })
})

describe('the sides of a comparison', () => {
  const cell = (stage: string, version: string) => ({ stage, version }) as StageCell
  const latest = (version: string, revision: number) => ({ version, revision }) as RevisionItem
  const stages = ['Trial', 'Rehearsal', 'Live']

  it.each([
    ['stage Live', { api: 'a', stage: 'Live' }],
    ['version 3.9.2 beta', { api: 'a', version: '3.9.2 beta' }],
    ['revision 12', { api: 'a', revision: 12 }],
    ['revision twelve', undefined],
    ['12', undefined],
    ['', undefined],
  ])('are read from %j', (written, side) => {
    expect(sideOf('a', written)).toEqual(side)
  })

  it('are what runs furthest, and the newest', () => {
    const detail = {
      cells: [cell('Live', '3.9.2'), cell('Trial', '4.0.0')],
      versions: ['4.0.0', '3.9.2'],
      latest: latest('4.0.0', 2),
    }
    expect([usualBefore(detail, stages), usualAfter(detail, stages)]).toEqual([
      'stage Live',
      'stage Trial',
    ])
    const unplaced = { ...detail, cells: [] }
    expect([usualBefore(unplaced, stages), usualAfter(unplaced, stages)]).toEqual([
      'version 3.9.2',
      'version 4.0.0',
    ])
    const writing = { cells: [], versions: [], latest: latest('1.0.0', 3) }
    expect([usualBefore(writing, stages), usualAfter(writing, stages)]).toEqual([
      'revision 2',
      'revision 3',
    ])
    expect(usualBefore({ ...writing, latest: latest('1.0.0', 1) }, stages)).toBe('')
  })

  it('can be anything that runs, each version, and each revision', () => {
    const groups = sideChoices({ cells: [cell('Live', '3.9.2')], versions: ['3.9.2'] }, stages, [
      latest('3.9.2', 1),
    ])
    expect(groups.flatMap(({ choices }) => choices.map(({ value }) => value))).toEqual([
      'stage Live',
      'version 3.9.2',
      'revision 1',
    ])
  })
})

describe('the rows of a comparison', () => {
  const change = (operation: string, message: string, more: Partial<ComparisonChange> = {}) =>
    ({
      operation,
      message,
      effect: 'safe',
      direction: 'none',
      kind: 'changed',
      ...more,
    }) as ComparisonChange
  const said = (changes: ComparisonChange[], open: string[] = []) =>
    foldedRows(changes, (operation) => open.includes(operation)).map((row) =>
      'folded' in row
        ? `${row.operation}: ${row.folded} folded`
        : `${row.operation}: ${row.change.message}`,
    )

  it('fold the other words of an operation, where there are several, until they are wanted', () => {
    const changes = [
      change('GET /a', 'breaks', { effect: 'breaking', direction: 'request' }),
      change('GET /a', 'first'),
      change('GET /a', 'second'),
      change('GET /b', 'third'),
    ]
    expect(said(changes)).toEqual(['GET /a: breaks', 'GET /a: 2 folded', 'GET /b: third'])
    expect(said(changes, ['GET /a'])).toEqual([
      'GET /a: breaks',
      'GET /a: first',
      'GET /a: second',
      'GET /b: third',
    ])
  })

  it('fold nothing that is new or that somebody may notice', () => {
    const changes = [
      change('GET /a', 'is new', { kind: 'added' }),
      change('GET /a', 'is longer', { direction: 'response' }),
    ]
    expect(said(changes)).toEqual(['GET /a: is new', 'GET /a: is longer'])
  })
})

describe('what stands around the first difference', () => {
  it('is all of what is short, and of what is long where it differs', () => {
    expect(excerptBeside('abc', 'abd', 10)).toBe('abc')
    const [one, other] = [`${'x'.repeat(500)}one${'y'.repeat(500)}`, `${'x'.repeat(500)}other`]
    expect(excerptBeside(one, other, 40)).toBe(`…${'x'.repeat(9)}one${'y'.repeat(28)}…`)
    expect(excerptBeside(other, one, 40)).toBe(`…${'x'.repeat(9)}other`)
  })
})
