import { readdirSync, readFileSync, statSync } from 'node:fs'
import { join } from 'node:path'
import { strToU8, unzipSync, zipSync } from 'fflate'
import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { apis, batches, parts, revisions, searchEntries } from '../../server/db/schema'
import { rebuildDerived } from '../../server/services/rebuild'
import { workBatch } from '../../server/services/batches'
import type { Batch, BatchItem } from '../../shared/api/batches'
import type { RevisionDetail } from '../../shared/api/catalog'
import type {
  Converted,
  OperationReading,
  SchemaReading,
  SearchPage,
} from '../../shared/api/reading'
import { bringIn, makeWorld, type Visitor, type World } from '../support/world'
import { teamId } from '../../server/db/names'

let world: World
let imara: Visitor

beforeAll(async () => {
  world = await makeWorld()
  imara = await world.visitor('imara')
})
afterAll(() => world.close())

/** A folder of the demo as it would lie in an archive. */
function folder(path: string): Record<string, Uint8Array> {
  const root = join('demo/definitions', path)
  const names = readdirSync(root, { recursive: true, encoding: 'utf8' })
  return Object.fromEntries(
    names
      .filter((name) => statSync(join(root, name)).isFile())
      .map((name) => [name, new Uint8Array(readFileSync(join(root, name)))]),
  )
}
const below = (name: string, files: Record<string, Uint8Array>) =>
  Object.fromEntries(Object.entries(files).map(([file, bytes]) => [`${name}/${file}`, bytes]))

async function sendArchive(files: Record<string, Uint8Array>) {
  const sent = await imara.call<Batch>('POST', '/batches?file=estate.zip', zipSync(files))
  expect(sent.status).toBe(202)
  return (await imara.call<Batch>('GET', `/batches/${sent.body.id}`)).body
}
const accept = async (id: string, without: string[] = []) => {
  await imara.call('POST', `/batches/${id}/accept`, { team: 'Field', audience: 'private', without })
  return (await imara.call<Batch>('GET', `/batches/${id}`)).body
}
const outcomes = ({ items }: Batch) =>
  Object.fromEntries(items.map((item: BatchItem) => [item.source, item.outcome]))

describe('many definitions at once', () => {
  it('are told apart from their parts, reported one by one, and entered together', async () => {
    const files = {
      ...below('lab', folder('lab-sampling/1.6.0')),
      ...below('accounts', folder('customer-accounts/3.3.0')),
      'works.wsdl': new Uint8Array(readFileSync('demo/definitions/works-orders/3.2.0.wsdl')),
      'broken.yaml': strToU8('openapi: 3.1.0\ninfo: [\n'),
      'twice.wsdl': new Uint8Array(readFileSync('demo/definitions/works-orders/3.2.0.wsdl')),
      'readme.md': strToU8('# Nothing'),
    }
    const read = await sendArchive(files)
    expect(read).toMatchObject({ state: 'ready', total: 5, done: 5 })
    expect(outcomes(read)).toEqual({
      'accounts/customer-accounts.yaml': 'added',
      'broken.yaml': 'refused',
      'lab/lab-sampling.wsdl': 'added',
      'twice.wsdl': 'added',
      'works.wsdl': 'unchanged',
    })
    expect(read.items.find(({ source }) => source === 'broken.yaml')!.problem).toMatch(
      /^broken\.yaml:\d+:\d+ /,
    )
    expect(await world.db.select().from(apis)).toEqual([])
    const done = await accept(read.id)
    expect(done.state).toBe('done')
    expect(
      done.items
        .filter(({ state }) => state === 'accepted')
        .map(({ api }) => api)
        .sort(),
    ).toEqual(['customer-accounts', 'lab-sampling', 'works-orders'])
    const { body } = await imara.call<RevisionDetail>('GET', '/apis/customer-accounts/revisions/1')
    expect(body.files.length).toBe(20)
    expect(body.file).toBe('accounts/customer-accounts.yaml')
    expect(body.operations.find(({ path }) => path === '/accounts')!.file).toBe(
      'accounts/paths/accounts.yaml',
    )
  })

  it('know what is there already', async () => {
    const read = await sendArchive({
      ...below('lab', folder('lab-sampling/1.6.0')),
      ...below('new', folder('lab-sampling/1.8.0')),
    })
    expect(outcomes(read)).toEqual({
      'lab/lab-sampling.wsdl': 'unchanged',
      'new/lab-sampling.wsdl': 'revised',
    })
    const done = await accept(read.id)
    expect(done.items.find(({ source }) => source.startsWith('new'))).toMatchObject({
      state: 'accepted',
      api: 'lab-sampling',
      revision: 2,
    })
  })

  it('leave nothing half done when they are stopped in the middle of being entered', async () => {
    const read = await sendArchive({
      'a.yaml': strToU8('openapi: 3.1.0\ninfo: { title: First Half, version: "1" }\npaths: {}\n'),
      'b.yaml': strToU8('openapi: 3.1.0\ninfo: { title: Second Half, version: "1" }\npaths: {}\n'),
    })
    await world.db
      .update(batches)
      .set({ state: 'accepting', teamId: teamId('Field'), audience: 'private' })
      .where(eq(batches.id, read.id))
    const examiner = world.services.examiner
    const stopping = {
      ...world.services,
      examiner: {
        ...examiner,
        examine: async (...asked: Parameters<typeof examiner.examine>) => {
          await world.db.update(batches).set({ state: 'stopped' }).where(eq(batches.id, read.id))
          return examiner.examine(...asked)
        },
      },
    }
    await workBatch(stopping, read.id)
    expect((await world.db.select().from(apis).where(eq(apis.title, 'First Half'))).length).toBe(0)
    expect((await imara.call<Batch>('GET', `/batches/${read.id}`)).body.state).toBe('stopped')
    expect(
      (
        await imara.call('POST', `/batches/${read.id}/accept`, {
          team: 'Field',
          audience: 'private',
          without: [],
        })
      ).status,
    ).toBe(409)
  })

  it.each([
    ['no archive', strToU8('openapi: 3.1.0'), /neither a ZIP nor a TAR/],
    ['a way out', zipSync({ '../a.yaml': strToU8('x') }), /leads out of its folder/],
    ['nothing to read', zipSync({ 'a.txt': strToU8('x') }), /no definition among them/],
  ])('that are %s are refused in words', async (_what, bytes, message) => {
    const sent = await imara.call<Batch>('POST', '/batches?file=a.zip', bytes)
    const { body } = await imara.call<Batch>('GET', `/batches/${sent.body.id}`)
    expect(body.state).toBe('failed')
    expect(body.trouble).toMatch(message)
  })

  it('are not for readers', async () => {
    const wren = await world.visitor('wren')
    expect((await wren.call('POST', '/batches', zipSync({ 'a.yaml': strToU8('x') }))).status).toBe(
      403,
    )
  })
})

describe('a revision of many files', () => {
  it('is read file by file and taken away byte for byte', async () => {
    const files = folder('lab-sampling/1.8.0')
    const answer = await imara.call<string>(
      'GET',
      '/apis/lab-sampling/revisions/2/text?file=new%2Fsamples.xsd',
    )
    expect(answer.body).toBe(new TextDecoder().decode(files['samples.xsd']))
    expect(
      (await imara.call('GET', '/apis/lab-sampling/revisions/2/text?file=..%2F..%2Fpackage.json'))
        .status,
    ).toBe(404)
    const archive = await fetch(`${world.base}/api/v1/apis/lab-sampling/revisions/2/archive`, {
      headers: { cookie: imara.cookie() },
    })
    const unpacked = unzipSync(new Uint8Array(await archive.arrayBuffer()))
    expect(Object.keys(unpacked).sort()).toEqual(
      Object.keys(files)
        .map((name) => `new/${name}`)
        .sort(),
    )
    for (const [name, bytes] of Object.entries(files))
      expect(Buffer.from(unpacked[`new/${name}`]!)).toEqual(Buffer.from(bytes))
  })

  it('is saved again as a text for its main file, or as an archive of all', async () => {
    const main = new TextDecoder().decode(
      folder('customer-accounts/3.3.0')['customer-accounts.yaml'],
    )
    const saved = await imara.call<{ revision: number }>(
      'POST',
      '/apis/customer-accounts/revisions',
      main.replace('Customer Accounts', 'Customer Accounts '),
      { 'if-match': '"revision-1"' },
    )
    expect(saved).toMatchObject({ status: 201, body: { revision: 2 } })
    const files = below('accounts', folder('customer-accounts/3.3.0'))
    const same = await imara.call(
      'POST',
      '/apis/customer-accounts/revisions?file=accounts%2Fcustomer-accounts.yaml',
      zipSync({ ...files, 'accounts/schemas/person.yaml': strToU8('type: [\n') }),
      { 'if-match': '"revision-2"' },
    )
    expect(same.status).toBe(201)
    const broken = await imara.call<RevisionDetail>('GET', '/apis/customer-accounts/revisions/3')
    expect(broken.body.files.length).toBe(20)
    expect(
      (
        await imara.call(
          'POST',
          '/apis/customer-accounts/revisions?file=none.yaml',
          zipSync(files),
          { 'if-match': '"revision-3"' },
        )
      ).status,
    ).toBe(422)
  })

  it('gives its operations and schemas in full, in the author’s order', async () => {
    const operation = await imara.call<OperationReading>(
      'GET',
      '/apis/lab-sampling/revisions/2/operations/0',
    )
    expect(operation.body).toMatchObject({
      name: 'POST /registerSample',
      file: 'new/lab-sampling.wsdl',
      detail: { soap: [{ version: '1.1' }, { version: '1.2' }] },
    })
    const schema = await imara.call<SchemaReading>(
      'GET',
      '/apis/lab-sampling/revisions/2/schemas/Sample',
    )
    const { detail } = schema.body
    expect(typeof detail === 'object' && Object.keys(detail['properties']!).slice(0, 4)).toEqual([
      'id',
      'point',
      'kind',
      'takenAt',
    ])
    expect((await imara.call('GET', '/apis/lab-sampling/revisions/2/schemas/None')).status).toBe(
      404,
    )
    expect((await imara.call('GET', '/apis/lab-sampling/revisions/2/operations/99')).status).toBe(
      404,
    )
  })

  it.each(['bundle', 'openapi-3.2', 'openapi-3.1', 'openapi-3.0', 'swagger-2.0', 'raml-1.0'])(
    'is written as %s',
    async (to) => {
      const { status, body } = await imara.call<Converted>(
        'POST',
        '/apis/lab-sampling/revisions/2/conversions',
        { to },
      )
      expect(status).toBe(200)
      expect(body.text.length).toBeGreaterThan(1000)
      for (const { line, file } of body.losses)
        expect([line > 0, file]).toEqual([true, expect.stringMatching(/^new\//)])
      if (to !== 'bundle') expect(body.losses.length).toBeGreaterThan(0)
    },
  )
})

describe('finding', () => {
  const find = async (query: string) =>
    (await imara.call<SearchPage>('GET', `/search?${query}`)).body
  const found = ({ items }: SearchPage) => items.map(({ api }) => api)

  it('looks into names, descriptions, operations, schemas and SOAP, and says where', async () => {
    const page = await find('q=attachReport')
    expect(found(page)).toEqual(['lab-sampling'])
    expect(page.items[0]!.matches[0]).toMatchObject({
      kind: 'operation',
      name: 'POST /attachReport',
      file: 'new/lab-sampling.wsdl',
      line: 75,
    })
    expect(found(await find('q=regulatory%20sample'))).toEqual(['lab-sampling'])
    expect(found(await find('q=crew'))).toEqual(['works-orders'])
    expect(found(await find('q=nothing-at-all-like-this'))).toEqual([])
  })

  it('begins words and corrects mistyped ones', async () => {
    expect(found(await find('q=attachRep'))).toEqual(['lab-sampling'])
    const fixed = await find('q=laboratery')
    expect(fixed.corrected).toEqual(['laboratory'])
    expect(found(fixed)).toEqual(['lab-sampling'])
  })

  it('only looks into the newest revision', async () => {
    const { body } = await imara.call<RevisionDetail>('GET', '/apis/works-orders/revisions/1')
    const text = (await imara.call<string>('GET', '/apis/works-orders/revisions/1/text')).body
    await imara.call(
      'POST',
      '/apis/works-orders/revisions',
      text.replaceAll('listCrews', 'listGangs'),
      { 'if-match': `"revision-${body.revision}"` },
    )
    expect(found(await find('q=listCrews'))).toEqual([])
    expect(found(await find('q=listGangs'))).toEqual(['works-orders'])
  })

  it('divides by facets that count among one another', async () => {
    const all = await find('')
    expect(all.total).toBe(3)
    const format = all.facets.find(({ name }) => name === 'format')!
    expect(format.values).toEqual(
      expect.arrayContaining([
        { value: 'WSDL 1.1', count: 1 },
        { value: 'WSDL 2.0', count: 1 },
      ]),
    )
    expect(found(await find('format=WSDL%202.0'))).toEqual(['works-orders'])
    expect(found(await find('format=WSDL%202.0&team=Metering'))).toEqual([])
    expect((await find('step=not-placed')).total).toBe(3)
  })

  it.each(["'", '&', '!', '(:*', '<script>', ':*|', 'a'.repeat(190), '%00'])(
    'takes %s as words and nothing else',
    async (q) => {
      expect((await imara.call('GET', `/search?q=${encodeURIComponent(q)}`)).status).toBeLessThan(
        500,
      )
    },
  )
})

describe('what is derived', () => {
  it('is rebuilt for revisions of an earlier register', async () => {
    const [row] = await world.db
      .select()
      .from(revisions)
      .innerJoin(apis, eq(apis.id, revisions.apiId))
      .where(eq(apis.slug, 'works-orders'))
      .limit(1)
    const { facts: _, ...old } = row!.revisions.summary
    await world.db
      .update(revisions)
      .set({ summary: old as never })
      .where(eq(revisions.id, row!.revisions.id))
    await world.db.delete(parts).where(eq(parts.revisionId, row!.revisions.id))
    expect(await rebuildDerived(world.services)).toBe(1)
    expect(
      (await world.db.select().from(parts).where(eq(parts.revisionId, row!.revisions.id))).length,
    ).toBeGreaterThan(10)
    expect(
      (await world.db.select().from(searchEntries).where(eq(searchEntries.apiId, row!.apis.id)))
        .length,
    ).toBeGreaterThan(10)
  })
})

describe('facts beside a definition', () => {
  it('are kept, refused where they make no sense, and recorded', async () => {
    const change = (what: object) =>
      imara.call<{ faults?: { field: string }[] }>('PATCH', '/apis/works-orders', what)
    expect(
      (
        await change({
          owner: 'bryn',
          labels: ['night'],
          links: [{ title: 'Book', url: 'https://wiki.brackenmere.example/x' }],
        })
      ).body,
    ).toMatchObject({ owner: 'bryn', labels: ['night'] })
    expect(await change({ lifecycle: 'deprecated' })).toMatchObject({
      status: 422,
      body: { faults: [{ field: 'sunset' }] },
    })
    expect(await change({ owner: 'nobody' })).toMatchObject({ status: 422 })
    expect(await change({ links: [{ title: 'x', url: 'javascript:alert(1)' }] })).toMatchObject({
      status: 422,
    })
    expect(await change({ lifecycle: 'deprecated', sunset: '2027-02-31' })).toMatchObject({
      status: 422,
    })
    expect((await change({ lifecycle: 'deprecated', sunset: '2027-03-31' })).body).toMatchObject({
      sunset: '2027-03-31',
    })
  })
})

describe('definitions in an archive', () => {
  it('are found with what they refer to in the archive, however deep, and name what is too large', async () => {
    const schema = (i: number) =>
      `components: { schemas: { S: { type: object, properties: { next: { $ref: "${i + 1}.yaml#/components/schemas/S" } } } } }\n`
    const chain = Object.fromEntries(
      Array.from({ length: 8 }, (_, i) => [`chain/${i}.yaml`, strToU8(schema(i))]),
    )
    const read = await sendArchive({
      ...chain,
      'chain/8.yaml': strToU8('components: { schemas: { S: { type: string } } }\n'),
      'chain/main.yaml': strToU8(
        'openapi: 3.1.0\ninfo: { title: Long Chain, version: "1" }\npaths: {}\ncomponents: { schemas: { First: { $ref: "0.yaml#/components/schemas/S" } } }\n',
      ),
      'other.yaml': strToU8('openapi: 3.1.0\ninfo: { title: Alone, version: "1" }\npaths: {}\n'),
      'notes/huge#.yaml': strToU8('openapi: 3.1.0'),
    })
    expect(
      read.items.map(({ source, files, outcome, problem }) => [source, files, outcome, problem]),
    ).toEqual([
      ['chain/main.yaml', 10, 'added', undefined],
      ['notes/huge#.yaml', 0, 'refused', expect.stringMatching(/holds a #/)],
      ['other.yaml', 1, 'added', undefined],
    ])
  })

  it('may be versions of one API, which follow each other', async () => {
    const version = (n: number) =>
      strToU8(`openapi: 3.1.0\ninfo: { title: Two Of Them, version: "${n}" }\npaths: {}\n`)
    const read = await sendArchive({ 'v1/a.yaml': version(1), 'v2/a.yaml': version(2) })
    const done = await accept(read.id)
    expect(done.items.map(({ state, api, revision }) => [state, api, revision])).toEqual([
      ['accepted', 'two-of-them', 1],
      ['accepted', 'two-of-them', 2],
    ])
  })

  it('may hold characters that no database keeps', async () => {
    const odd = JSON.stringify({
      openapi: '3.1.0',
      info: { title: 'Odd\0Letters', version: '1', description: 'half \ud83d of one' },
      paths: {},
      components: {
        schemas: {
          'A\0': {
            type: 'object',
            properties: { 'p\0': { type: 'string', enum: ['\0', '\udc00'] } },
          },
        },
      },
    })
    const done = await accept((await sendArchive({ 'odd.json': strToU8(odd) })).id)
    expect(done.items[0]).toMatchObject({ state: 'accepted', title: 'Odd\ufffdLetters' })
    const kept = await imara.call<string>('GET', `/apis/${done.items[0]!.api!}/revisions/1/text`)
    expect(kept.body).toBe(odd)
    const found = await imara.call<SearchPage>('GET', '/search?q=letters')
    expect(found.body.items.map(({ title }) => title)).toContain('Odd\ufffdLetters')
  })
})

describe('findings page by page', () => {
  it('are those of one long page, in its order', async () => {
    interface Listed {
      items: { api: string; key: string; level: string }[]
      nextCursor?: string
    }
    const list = async (query: string) =>
      (await imara.call<Listed>('GET', `/findings?${query}`)).body
    const { items: whole } = await list('status=open&limit=1000')
    const paged: Listed['items'] = []
    for (let after: string | undefined = ''; after !== undefined;) {
      const page: Listed = await list(`status=open&limit=17${after}`)
      paged.push(...page.items)
      after = page.nextCursor && `&cursor=${page.nextCursor}`
    }
    expect(whole.length).toBeGreaterThan(50)
    expect(paged).toEqual(whole)
    const weights = whole.map(({ level }) => ['MUST', 'SHOULD', 'MAY'].indexOf(level))
    expect(weights).toEqual([...weights].sort())
    expect(new Set(weights)).toEqual(new Set([0, 1, 2]))
  })
})

describe('a definition that names its backends', () => {
  const definition = `openapi: 3.1.0
info: { title: Valve Moves, version: 1.0.0 }
servers: [{ url: https://trial.api.brackenmere.example/valves }]
x-elm-backends: { moves: { url: 'http://10.1.2.3:8080' } }
x-elm-backend: moves
paths:
  /moves:
    get: { responses: { 200: { description: All } } }
    post: { x-elm-backend: planner, responses: { 201: { description: Made } } }
`

  it('fills the route table of a new placement, and is written from one', async () => {
    const tomas = await world.visitor('tomas')
    await bringIn(tomas, definition)
    const { spec, group } = await tomas.api.getPlacementDraft({ api: 'valve-moves' })
    expect(spec.backends).toEqual([
      { name: 'moves', url: 'http://10.1.2.3:8080', timeoutMs: 5000 },
      { name: 'planner', url: '', timeoutMs: 5000 },
    ])
    expect(spec.routes.map(({ treatment }) => treatment)).toEqual([
      { kind: 'route', backend: 'moves' },
      { kind: 'route', backend: 'planner' },
    ])
    const place = (backends: typeof spec.backends) =>
      tomas.call<{ id: string; faults: { field: string }[] }>('POST', '/placements', {
        api: 'valve-moves',
        version: '1.0.0',
        group,
        spec: { ...spec, backends },
      })
    expect((await place(spec.backends)).body.faults[0]!.field).toMatch(/^(?:spec\.)?backends/)
    const [first, second] = spec.backends
    const placed = await place([first!, { ...second!, url: 'http://10.1.2.4' }])
    expect(placed.status).toBe(201)
    const convert = (placement: string) =>
      tomas.call<Converted>('POST', '/apis/valve-moves/revisions/1/conversions', {
        to: 'bundle',
        placement,
      })
    const { body } = await convert(placed.body.id)
    expect(body.text).toMatch(/planner:\s+url: http:\/\/10\.1\.2\.4/)
    expect((await convert('elsewhere-1')).status).toBe(404)
  })
})
