import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import type { ImpactItem, ImpactPlace } from '../../shared/api/impact'
import type {
  EditionItem,
  EstateFindings,
  FindingItem,
  Rulebook,
  RulebookDraft,
  WaiverItem,
} from '../../shared/api/rules'
import type { ProposalItem } from '../../shared/api/proposals'
import { proposals, waivers } from '../../server/db/schema'
import { directExaminer } from '../../server/jobs/examiner'
import { recheck, recheckAll, settleAll } from '../../server/services/checking'
import type { Services } from '../../server/services/context'
import { Failure } from '../../server/services/failure'
import { planProposals } from '../../server/services/proposals'
import { bringIn, definition, makeWorld, type Visitor, type World } from '../support/world'
import { houseText } from '../support/rules'

let world: World
let imara: Visitor
let tomas: Visitor
let ruth: Visitor
let wren: Visitor

beforeAll(async () => {
  world = await makeWorld()
  imara = await world.visitor('imara')
  tomas = await world.visitor('tomas')
  ruth = await world.visitor('ruth')
  wren = await world.visitor('wren')
  await bringIn(tomas, definition('supply-interruptions/2.5.0.yaml'), {
    team: 'Network Control',
    audience: 'partner',
  })
})
afterAll(() => world.close())

const slug = 'supply-interruptions'
const findings = async (query = '') =>
  (await tomas.call<{ items: FindingItem[] }>('GET', `/findings?api=${slug}&limit=1000${query}`))
    .body.items
const counts = async () =>
  (
    await tomas.call<{ latest: { findings: { must: number; should: number; may: number } } }>(
      'GET',
      `/apis/${slug}`,
    )
  ).body.latest.findings
const draft = async (name = 'house') => {
  const { body, headers } = await imara.call<RulebookDraft>('GET', `/rulebooks/${name}`)
  return { ...body, etag: headers.get('etag') ?? '' }
}
const saveDraft = async (text: string, name = 'house') => {
  const { etag } = await draft(name)
  return imara.call<RulebookDraft>('PUT', `/rulebooks/${name}`, { text }, { 'if-match': etag })
}
const publish = async (note = 'As agreed with every team', name = 'house') => {
  const { etag } = await draft(name)
  return imara.call<EditionItem>(
    'POST',
    `/rulebooks/${name}/editions`,
    { note },
    { 'if-match': etag },
  )
}

describe('a draft', () => {
  it('binds nobody, keeps a text with faults, and is not overwritten unseen', async () => {
    const before = await counts()
    const saved = await saveDraft(
      houseText.replace('expect: isSemver(definition.version)', 'expect: isSemver('),
    )
    expect(saved.status).toBe(200)
    expect(await counts()).toEqual(before)
    const stale = await imara.call(
      'PUT',
      '/rulebooks/house',
      { text: houseText },
      { 'if-match': '"draft-1"' },
    )
    expect(stale.status).toBe(412)
    const refused = await publish()
    expect(refused).toMatchObject({
      status: 422,
      body: { faults: [{ message: expect.stringContaining('version-semver') as string }] },
    })
    await saveDraft(houseText)
    expect(await publish()).toMatchObject({ status: 409 })
  })

  it('is written by those who may', async () => {
    const { etag } = await draft()
    const answer = await tomas.call(
      'PUT',
      '/rulebooks/house',
      { text: houseText },
      { 'if-match': etag },
    )
    expect(answer).toMatchObject({
      status: 403,
      body: { detail: expect.stringContaining('role governance') as string },
    })
  })
})

describe('impact before edict', () => {
  const stricter = houseText
    .replace(
      'id: operation-described\n    group: documentation\n    level: MAY',
      'id: operation-described\n    group: documentation\n    level: MUST',
    )
    .replace('size(operation.summary) <= 90', 'size(operation.summary) <= 20')

  it('says what would fail and weigh otherwise, down to the line, and changes nothing', async () => {
    expect(stricter).not.toBe(houseText)
    const before = await findings()
    const started = await imara.call<ImpactItem>('POST', '/rulebooks/house/impacts', {
      text: stricter,
    })
    expect(started.status).toBe(202)
    const { body } = await imara.call<ImpactItem>('GET', `/impacts/${started.body.impact}`)
    expect(body).toMatchObject({ state: 'done', total: 1, done: 1 })
    const rule = (id: string) => body.rules.find((item) => item.rule === id)!
    expect(rule('operation-summary')).toMatchObject({
      passes: 0,
      weighs: 0,
      apis: 1,
      teams: ['Network Control'],
    })
    expect(rule('operation-summary').fails).toBeGreaterThan(0)
    const described = before.filter((finding) => finding.rule === 'operation-described')
    expect(rule('operation-described').weighs).toBe(described.length)
    expect(body.rules).toHaveLength(2)
    // The rule that only weighs otherwise was not judged anew.
    expect(body.reused).toBeGreaterThanOrEqual(1)
    const { items } = (
      await imara.call<{ items: ImpactPlace[] }>(
        'GET',
        `/impacts/${body.impact}/places?rule=operation-described&limit=1000`,
      )
    ).body
    expect(items.map(({ line }) => line)).toEqual(described.map(({ line }) => line))
    expect(await findings()).toEqual(before)
  })

  it('does not work out again what it knows', async () => {
    const again = await imara.call<ImpactItem>('POST', '/rulebooks/house/impacts', {
      text: stricter,
    })
    const { body } = await imara.call<ImpactItem>('GET', `/impacts/${again.body.impact}`)
    expect(body.reused).toBe(4)
  })

  it('refuses a text with faults, and stopping what has ended', async () => {
    expect(
      await imara.call('POST', '/rulebooks/house/impacts', { text: 'rulebook: 1' }),
    ).toMatchObject({ status: 422 })
    const run = await imara.call<ImpactItem>('POST', '/rulebooks/house/impacts', { text: stricter })
    expect(await imara.call('DELETE', `/impacts/${run.body.impact}`)).toMatchObject({ status: 409 })
    expect(await wren.call('POST', '/rulebooks/house/impacts', {})).toMatchObject({ status: 403 })
  })
})

describe('an edition', () => {
  it('is what everything is checked against from then on, with what it changed in words', async () => {
    const before = await findings('&rule=operation-described')
    expect(before.every(({ level }) => level === 'MAY')).toBe(true)
    await saveDraft(
      houseText.replace(
        'id: operation-described\n    group: documentation\n    level: MAY',
        'id: operation-described\n    group: documentation\n    level: SHOULD',
      ),
    )
    const { status, body } = await publish('Descriptions are read')
    expect(status).toBe(201)
    expect(body.changes).toEqual(['operation-described becomes SHOULD; it was MAY'])
    const after = await findings('&rule=operation-described')
    expect(after.every(({ level }) => level === 'SHOULD')).toBe(true)
    expect(after.map(({ key, firstSeen }) => [key, firstSeen])).toEqual(
      before.map(({ key, firstSeen }) => [key, firstSeen]),
    )
    expect((await imara.call<Rulebook>('GET', '/rulebook')).body.edition).toBe(body.edition)
    expect((await imara.call<string>('GET', `/editions/${body.edition}/text`)).body).toContain(
      'level: SHOULD',
    )
    const { items } = (
      await imara.call<{ items: object[] }>('GET', '/ledger?search=rulebook.published')
    ).body
    expect(items[0]).toMatchObject({
      actor: 'imara',
      subject: 'house',
      after: { edition: body.edition },
    })
  })

  it('of a team adds to the house rules and may not loosen a MUST', async () => {
    const made = await imara.call<RulebookDraft>('POST', '/rulebooks', { team: 'Network Control' })
    expect(made).toMatchObject({ status: 201, body: { rulebook: 'network-control' } })
    const text = (change: string) =>
      `${made.body.text.replace('changes: []', '')}changes: [${change}]\n`
    await saveDraft(text('{ id: contact-email, off: true }'), 'network-control')
    expect(await publish('Ours alone', 'network-control')).toMatchObject({
      status: 422,
      body: { detail: expect.stringContaining('may not be loosened') as string },
    })
    await saveDraft(text('{ id: list-paged, level: MUST }'), 'network-control')
    expect(await publish('Ours alone', 'network-control')).toMatchObject({ status: 201 })
    const level = async (query: string) =>
      (await imara.call<Rulebook>('GET', `/rulebook${query}`)).body.items.find(
        ({ id }) => id === 'list-paged',
      )!.level
    expect(await level('')).toBe('SHOULD')
    expect(await level('?team=Network%20Control')).toBe('MUST')
  })
})

describe('a waiver', () => {
  const ask = (by: Visitor, more: object = {}) =>
    by.call<{ waiver: number }>('POST', '/waivers', {
      rule: 'no-default-on-required',
      api: slug,
      reason: 'The old form sends it until spring.',
      until: '2027-03-31',
      ...more,
    })
  const state = async (id: number) =>
    (await imara.call<{ items: WaiverItem[] }>('GET', '/waivers')).body.items.find(
      ({ waiver }) => waiver === id,
    )!

  it('is asked for, approved by somebody else, and takes its findings out until it ends', async () => {
    const { must } = await counts()
    const { status, body } = await ask(tomas)
    expect(status).toBe(201)
    expect((await counts()).must).toBe(must)
    expect(
      await tomas.call('POST', `/waivers/${body.waiver}/decision`, { approve: true }),
    ).toMatchObject({ status: 403 })
    expect(
      await ruth.call('POST', `/waivers/${body.waiver}/decision`, {
        approve: true,
        note: 'Until spring',
      }),
    ).toMatchObject({ status: 204 })
    expect((await counts()).must).toBe(must - 1)
    expect(await findings('&status=waived')).toMatchObject([
      { rule: 'no-default-on-required', waiver: body.waiver },
    ])
    expect(await state(body.waiver)).toMatchObject({
      state: 'approved',
      findings: 1,
      note: 'Until spring',
    })
    // The day after its last one, the finding is back.
    await world.db.update(waivers).set({ until: '2026-01-01' }).where(eq(waivers.id, body.waiver))
    await settleAll(world.services)
    expect((await counts()).must).toBe(must)
    expect(await state(body.waiver)).toMatchObject({ state: 'ended', findings: 0 })
  })

  it('is not approved by who asked, and counts again when it is taken back', async () => {
    const { must } = await counts()
    const own = await ask(imara)
    expect(
      await imara.call('POST', `/waivers/${own.body.waiver}/decision`, { approve: true }),
    ).toMatchObject({ status: 403, body: { title: 'Somebody else decides' } })
    await ruth.call('POST', `/waivers/${own.body.waiver}/decision`, { approve: true })
    expect((await counts()).must).toBe(must - 1)
    expect(await imara.call('DELETE', `/waivers/${own.body.waiver}`)).toMatchObject({ status: 204 })
    expect((await counts()).must).toBe(must)
  })

  it('is refused with a reason where it makes no sense', async () => {
    expect(await ask(tomas, { until: '2020-01-01' })).toMatchObject({
      status: 422,
      body: { faults: [{ field: 'until' }] },
    })
    expect(await ask(tomas, { until: '2031-01-01' })).toMatchObject({ status: 422 })
    expect(await ask(tomas, { rule: 'none' })).toMatchObject({
      status: 422,
      body: { faults: [{ field: 'rule' }] },
    })
    expect(await ask(tomas, { reason: 'no' })).toMatchObject({ status: 422 })
    expect(await ask(wren)).toMatchObject({ status: 403 })
  })
})

describe('seeing to findings', () => {
  it('gives many to somebody, with a comment, in one act', async () => {
    const list = (await findings('&rule=operation-described')).slice(0, 3)
    const acted = await tomas.call('POST', '/findings/acts', {
      findings: list.map(({ api, key }) => ({ api, key })),
      person: 'tomas',
      comment: 'Goes with 2.6.',
    })
    expect(acted).toMatchObject({ status: 200, body: { findings: 3 } })
    const mine = await findings('&person=tomas')
    expect(mine.map(({ key }) => key).sort()).toEqual(list.map(({ key }) => key).sort())
    expect(mine[0]!.comments).toBe(1)
    const { body } = await tomas.call<{ items: object[] }>('POST', '/findings/comments', {
      api: slug,
      key: list[0]!.key,
    })
    expect(body.items).toMatchObject([{ text: 'Goes with 2.6.' }])
    expect(
      await tomas.call('POST', '/findings/acts', { findings: [], person: 'nobody' }),
    ).toMatchObject({ status: 422 })
  })

  it('accepts what is there today: only new findings count, and what is fixed does not come back', async () => {
    await tomas.call('POST', `/apis/${slug}/baseline`)
    expect(await counts()).toEqual({ must: 0, should: 0, may: 0 })
    const text = definition('supply-interruptions/2.5.0.yaml')
    const save = async (next: string) => {
      const { body } = await tomas.call<{ latest: { revision: number } }>('GET', `/apis/${slug}`)
      return tomas.call('POST', `/apis/${slug}/revisions`, next, {
        'if-match': `"revision-${body.latest.revision}"`,
      })
    }
    const fixed = text.replace(
      'contact:\n    name: Network Control',
      'contact:\n    name: Network Control\n    email: network-control@brackenmere.example',
    )
    expect(fixed).not.toBe(text)
    expect(await save(fixed)).toMatchObject({ status: 201 })
    expect((await counts()).must).toBe(0)
    expect(await save(text.replace('title: Supply', 'title:  Supply'))).toMatchObject({
      status: 201,
    })
    expect(await findings('&status=open')).toMatchObject([{ rule: 'contact-email' }])
  })

  it('is counted by rule and API, and over time', async () => {
    const { body } = await tomas.call<EstateFindings>('GET', '/findings/estate')
    expect(body.apis).toMatchObject([{ api: slug, open: { 'contact-email': 1 } }])
    expect(body.days.at(-1)).toMatchObject({ team: 'Network Control', must: 1 })
  })
})

const api = (title: string, property: string, server: string) => `openapi: 3.1.0
info: { title: ${title}, version: 1.0.0 }
servers: [{ url: 'https://api.brackenmere.example/${server}' }]
paths: {}
components:
  schemas:
    Washout: { type: object, properties: { ${property}: { type: string } } }
`

describe('rules that compare APIs', () => {
  const about = { team: 'Network Control', audience: 'private' }
  const compared = async (name: string) => {
    const { body } = await tomas.call<{ items: FindingItem[] }>(
      'GET',
      `/findings?api=${name}&limit=1000`,
    )
    return body.items
      .filter(({ rule }) => rule === 'base-path-own' || rule === 'schema-like-elsewhere')
      .map(({ rule }) => rule)
      .sort()
  }

  it('see the others when they are saved, and when they are checked again', async () => {
    await bringIn(tomas, api('Washouts East', 'code', 'washouts'), about)
    await bringIn(tomas, api('Washouts West', 'number', 'washouts/'), about)
    expect(await compared('washouts-east')).toEqual([])
    // The rule about schemas leaves alone what has no place in the register yet.
    expect(await compared('washouts-west')).toEqual(['base-path-own'])
    await recheck(world.services, 'washouts-east')
    expect(await compared('washouts-east')).toEqual(['base-path-own', 'schema-like-elsewhere'])
  })

  it('forget what an API no longer holds', async () => {
    const next = api('Washouts West', 'code', 'washouts-west').replace('1.0.0', '1.0.1')
    const saved = await tomas.call('POST', '/apis/washouts-west/revisions', next, {
      'if-match': '"revision-1"',
    })
    expect(saved.status).toBe(201)
    await recheck(world.services, 'washouts-east')
    expect(await compared('washouts-east')).toEqual([])
  })

  it('are measured against the others too', async () => {
    const text = houseText.replace(
      'expect: size(sharesBasePath(server)) == 0',
      'expect: size(sharesBasePath(server)) < 0',
    )
    const { body } = await imara.call<ImpactItem>('POST', '/rulebooks/house/impacts', { text })
    const done = await imara.call<ImpactItem>('GET', `/impacts/${body.impact}`)
    expect(done.body).toMatchObject({ state: 'done', total: 3 })
  })
})

describe('a definition that cannot be worked on', () => {
  const failing = (): Services => ({
    ...world.services,
    now: () => new Date(world.services.now().getTime() + 86_400_000),
    examiner: {
      ...directExaminer,
      examine: (files, ...known) =>
        new TextDecoder().decode(files[0].bytes).includes('Washouts East')
          ? Promise.reject(new Failure(500, 'Something failed', 'The thread gave up.'))
          : directExaminer.examine(files, ...known),
      fix: () => Promise.reject(new Failure(500, 'Something failed', 'The thread gave up.')),
    },
  })

  it('keeps what was found before, and holds no other up', async () => {
    const noted = vi.spyOn(console, 'error').mockImplementation(() => undefined)
    const before = await tomas.call<{ items: FindingItem[] }>('GET', '/findings?api=washouts-east')
    const { body } = await tomas.call<{ items: unknown[] }>('GET', '/apis?limit=1000')
    expect(await recheckAll(failing())).toBe(body.items.length - 1)
    expect(noted).toHaveBeenCalledWith(expect.stringContaining('washouts-east'))
    const after = await tomas.call<{ items: FindingItem[] }>('GET', '/findings?api=washouts-east')
    expect(after.body.items).toEqual(before.body.items)
    noted.mockRestore()
  })

  it('says of a proposed fix why it is not worked out', async () => {
    await bringIn(tomas, api('Washouts North', 'Code_of_it', 'washouts-north'), {
      team: 'Network Control',
      audience: 'private',
    })
    const made = await imara.call('POST', '/rules/property-casing/proposals', { fix: 0 })
    expect(made.status).toBe(202)
    await world.services.db.update(proposals).set({ state: 'planning' })
    await planProposals(failing())
    const { body } = await imara.call<{ items: ProposalItem[] }>('GET', '/proposals')
    expect(body.items.length).toBeGreaterThan(0)
    for (const item of body.items)
      expect(item).toMatchObject({ state: 'nothing', trouble: 'The thread gave up.' })
  })
})
