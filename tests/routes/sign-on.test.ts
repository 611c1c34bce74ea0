import { eq } from 'drizzle-orm'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import type { SettingsItem, SignInWays, SignOn } from '../../shared/api/settings'
import type { LedgerEntry } from '../../shared/api/ledger'
import type { Person } from '../../shared/api/people'
import { people, settings, snapshots } from '../../server/db/schema'
import { removeOld } from '../../server/services/retention'
import { accountName, roleOf } from '../../server/services/sign-on'
import { makeWorld, Visitor, type World } from '../support/world'

let world: World
let ada: Visitor
beforeAll(async () => {
  world = await makeWorld()
  ada = await world.visitor('ada')
})
afterAll(() => world.close())

const signOn = (): SignOn & { clientSecret: string } => ({
  issuer: `${world.standins}/issuer`,
  clientId: 'elm-ledger',
  clientSecret: 'a-secret-of-the-client',
  groupsClaim: 'groups',
  groups: [
    { group: 'platform', role: 'administrator' },
    { group: 'gateway-operators', role: 'operator' },
    { group: 'everybody', role: 'reader' },
  ],
})
const setSignIn = (body: object, visitor = ada) =>
  visitor.call<{ detail: string; faults: { field: string; message: string }[] }>(
    'PUT',
    '/settings/sign-in',
    body,
  )

/** A person's browser at the issuer: who they say they are, and where it sends them back to. */
async function atIssuer(location: string, account: string): Promise<string> {
  const browser = new Visitor('')
  let { location: next } = await browser.goTo(location)
  const interaction = new URL(next, location).href
  const chosen = await fetch(interaction, {
    method: 'POST',
    redirect: 'manual',
    headers: { cookie: browser.cookie(), 'content-type': 'application/x-www-form-urlencoded' },
    body: `account=${account}`,
  })
  const resume = new URL(chosen.headers.get('location')!, location).href
  ;({ location: next } = await browser.goTo(resume))
  return next
}

/** The whole way; says where the product sends them in the end. */
async function come(visitor: Visitor, account: string, to = '/drift'): Promise<string> {
  const begun = await visitor.goTo(`${world.base}/sign-on/start?to=${encodeURIComponent(to)}`)
  return (await visitor.goTo(await atIssuer(begun.location, account))).location
}
const newcomer = () => new Visitor(world.base)
const self = async (visitor: Visitor) => (await visitor.call<Person>('GET', '/self')).body

describe('single sign-on', () => {
  it('is not there before it is set, and says so', async () => {
    const ways = async () =>
      (await (await fetch(`${world.base}/sign-on/ways`)).json()) as SignInWays
    expect(await ways()).toEqual({ localAccounts: true, signOn: false })
    const answer = await newcomer().goTo(`${world.base}/sign-on/start`)
    expect(answer.location).toBe('/sign-in?refused=off')
  })

  it('is set by administrators alone, with an issuer that may be asked and teams that are there', async () => {
    const wrong = async (change: object) =>
      (
        await setSignIn({ signOn: { ...signOn(), ...change }, localAccounts: true })
      ).body.faults.map(({ field }) => field)
    expect((await setSignIn({ localAccounts: true }, await world.visitor('imara'))).status).toBe(
      403,
    )
    expect(await wrong({ issuer: 'http://login.example' })).toEqual(['signOn.issuer'])
    expect(await wrong({ issuer: 'https://169.254.169.254/x' })).toEqual(['signOn.issuer'])
    expect(await wrong({ issuer: 'https://me:pw@login.example' })).toEqual(['signOn.issuer'])
    expect(await wrong({ clientSecret: undefined })).toEqual(['signOn.clientSecret'])
    const owners = [{ group: 'everybody', role: 'owner', team: 'Nowhere' }]
    expect(await wrong({ groups: owners })).toEqual(['signOn.groups'])
    const test = (issuer: string) =>
      ada.call<{ answers: boolean }>('POST', '/sign-on-tests', { ...signOn(), issuer })
    expect((await test(signOn().issuer)).body.answers).toBe(true)
    expect((await test(`${world.standins}/nothing`)).body.answers).toBe(false)
    expect((await test('https://169.254.169.254/')).body.answers).toBe(false)
    expect((await setSignIn({ signOn: signOn(), localAccounts: true })).status).toBe(204)
  })

  it('keeps the secret to itself', async () => {
    const kept = await world.db.select().from(settings)
    const shown = (await ada.call<SettingsItem>('GET', '/settings')).body
    const entries = (await ada.call<{ items: LedgerEntry[] }>('GET', '/ledger')).body
    for (const said of [kept, shown, entries])
      expect(JSON.stringify(said)).not.toContain(signOn().clientSecret)
    expect(JSON.stringify([shown, entries])).not.toContain('sealed')
    expect(shown.returnAddress).toBe(`${world.base}/sign-on/return`)
    // It stays where nothing else of the client changes, and is asked for again for another issuer.
    const { clientSecret: _, ...without } = signOn()
    expect((await setSignIn({ signOn: without, localAccounts: true })).status).toBe(204)
    const elsewhere = { ...without, issuer: 'https://login.example' }
    expect((await setSignIn({ signOn: elsewhere, localAccounts: true })).status).toBe(422)
  })

  it('lets people in with the role of their groups, and brings them to where they were going', async () => {
    const iris = newcomer()
    expect(await come(iris, 'iris')).toBe('/drift')
    expect(await self(iris)).toEqual({ name: 'iris', displayName: 'Iris Fallow', role: 'operator' })
    const [entry] = (await ada.call<{ items: LedgerEntry[] }>('GET', '/ledger?limit=1')).body.items
    expect(entry).toMatchObject({ action: 'person.added', subject: 'iris', actor: 'iris' })
    // A second time is the same person, who may do what their groups say by then.
    await world.db.update(people).set({ role: 'reader' }).where(eq(people.name, 'iris'))
    const again = newcomer()
    await come(again, 'iris', '//elsewhere.example/')
    expect(await self(again)).toMatchObject({ name: 'iris', role: 'operator' })
    expect(await world.db.$count(people, eq(people.displayName, 'Iris Fallow'))).toBe(1)
  })

  it('leads nowhere but into the product', async () => {
    for (const to of ['//elsewhere.example/', '/\\elsewhere.example', 'https://elsewhere.example'])
      expect(await come(newcomer(), 'iris', to)).toBe('/')
  })

  it('refuses who is in no group, whose access has ended, and whose name is somebody else’s', async () => {
    expect(await come(newcomer(), 'noel')).toBe('/sign-in?refused=no-group')
    await ada.call('PATCH', '/people/iris', { ended: true })
    expect(await come(newcomer(), 'iris')).toBe('/sign-in?refused=ended')
    await ada.call('PATCH', '/people/iris', { ended: false })
    const body = { name: 'marek', displayName: 'Marek Dunne', role: 'governance' }
    expect((await ada.call('POST', '/people', body)).status).toBe(201)
    expect(await come(newcomer(), 'marek')).toBe('/sign-in?refused=name-taken')
    // An administrator says that the account waits for its person; what they may do comes from their groups.
    expect((await ada.call('PATCH', '/people/marek', { signOn: true })).status).toBe(204)
    const marek = newcomer()
    expect(await come(marek, 'marek')).toBe('/drift')
    expect(await self(marek)).toMatchObject({ name: 'marek', role: 'reader' })
  })

  it('takes no way back that was not begun here, was used, or belongs to another browser', async () => {
    const visitor = newcomer()
    const begun = await visitor.goTo(`${world.base}/sign-on/start`)
    const back = await atIssuer(begun.location, 'iris')
    expect((await newcomer().goTo(back)).location).toBe('/sign-in?refused=stale')
    const forged = new URL(back)
    forged.searchParams.set('state', 'another')
    const victim = newcomer()
    await victim.goTo(`${world.base}/sign-on/start`)
    expect((await victim.goTo(back)).location).toBe('/sign-in?refused=failed')
    expect((await visitor.goTo(back)).location).toBe('/')
    expect((await visitor.goTo(back)).location).toBe('/sign-in?refused=stale')
    const other = newcomer()
    await other.goTo(`${world.base}/sign-on/start`)
    expect((await other.goTo(forged.href)).location).toBe('/sign-in?refused=failed')
    expect((await other.call('GET', '/self')).status).toBe(401)
  })

  it('can be the only way in, once an administrator has come by it', async () => {
    const off = { signOn: signOn(), localAccounts: false }
    expect((await setSignIn(off)).body.detail).toMatch(/Come in by single sign-on/)
    expect((await setSignIn({ localAccounts: false })).body.detail).toMatch(/only way in/)
    const hazel = newcomer()
    await come(hazel, 'hazel')
    expect(await self(hazel)).toMatchObject({ role: 'administrator' })
    expect((await setSignIn(off, hazel)).status).toBe(204)
    expect((await ada.call('GET', '/self')).status).toBe(401)
    expect((await newcomer().signIn('ada')).status).toBe(401)
    expect((await hazel.call('GET', '/self')).status).toBe(200)
    // A start with ELM_LOCAL_ACCOUNTS=always is the way back for an administrator whose issuer is gone.
    world.services.alwaysLocal = true
    expect((await newcomer().signIn('ada')).status).toBe(201)
    world.services.alwaysLocal = false
    expect((await setSignIn({ localAccounts: true }, hazel)).status).toBe(204)
    ada = await world.visitor('ada')
  })

  it('is away where the issuer is, and says so', async () => {
    const gone = { ...signOn(), issuer: 'http://127.0.0.1:1' }
    expect((await setSignIn({ signOn: gone, localAccounts: true })).status).toBe(204)
    expect((await newcomer().goTo(`${world.base}/sign-on/start`)).location).toBe(
      '/sign-in?refused=away',
    )
  })
})

describe('what an issuer says', () => {
  const claims = (more: object) => ({ sub: 'x-1', ...more })

  it('gives a role by the first group that is set, whatever shape the claim has', () => {
    const { groups } = signOn()
    const role = (claim: unknown) =>
      roleOf({ groups, groupsClaim: 'groups' }, claims({ groups: claim }))?.role
    expect(role(['everybody', 'platform'])).toBe('administrator')
    expect(role('everybody')).toBe('reader')
    for (const none of [undefined, null, [], [{}], 7, ['Everybody']])
      expect(role(none)).toBe(undefined)
  })

  it('gives a name that an account can have', () => {
    expect(accountName(claims({ preferred_username: 'Iris.Fallow' }))).toBe('iris.fallow')
    expect(accountName(claims({ email: 'iris@brackenmere.example' }))).toBe('iris')
    expect(accountName(claims({ preferred_username: '<b>../x' }))).toMatch(/^person-[0-9a-f]{12}$/)
    expect(accountName(claims({}))).toMatch(/^person-[0-9a-f]{12}$/)
  })
})

describe('settings of the installation', () => {
  it('are for administrators alone', async () => {
    const imara = await world.visitor('imara')
    expect((await imara.call('GET', '/settings')).status).toBe(403)
  })

  it('say how long what is not evidence is kept, and it is removed after that', async () => {
    const days = {
      snapshots: 7,
      checks: 7,
      intakes: 7,
      impacts: 7,
      requests: 7,
      requestPercent: 50,
    }
    expect((await ada.call('PUT', '/settings/retention', days)).status).toBe(204)
    expect((await ada.call('PUT', '/settings/retention', { ...days, checks: 0 })).status).toBe(422)
    const at = (ago: number) => new Date(Date.now() - ago * 86_400_000)
    const row = (ago: number) => ({ gateway: 'north-edge', takenAt: at(ago), etag: 'x', text: 'x' })
    await world.db.delete(snapshots)
    await world.db.insert(snapshots).values([row(30), row(20), row(3)])
    await removeOld(world.services)
    expect(await world.db.$count(snapshots)).toBe(1)
    await world.db.delete(snapshots)
    await world.db.insert(snapshots).values([row(30), row(20)])
    await removeOld(world.services)
    // The newest says what the gateway runs, however old it is.
    expect(await world.db.$count(snapshots)).toBe(1)
    await ada.call('POST', '/intakes?file=a.yaml', 'openapi: 3.1.0')
    await removeOld({ ...world.services, now: () => at(-30) })
    const { body } = await ada.call<{ items: LedgerEntry[] }>('GET', '/ledger')
    expect(body.items.length).toBeGreaterThan(3)
  })

  it('take a public address only from there, so that nobody is locked out', async () => {
    const set = (publicAddress: string, origin = world.base) =>
      ada.call<{ detail: string }>('PUT', '/settings/public-address', { publicAddress }, { origin })
    expect((await set('https://ledger.brackenmere.example')).body.detail).toMatch(/set it there/)
    expect((await set('javascript:alert(1)')).status).toBe(422)
    expect((await set(world.base)).status).toBe(204)
    expect((await set('')).status).toBe(204)
  })
})
