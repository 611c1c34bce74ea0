import { beforeAll, beforeEach, describe, expect, it, vi } from 'vitest'
import { asInNuxt, server } from '../../tests/support/nuxt'
import { Refusal } from '../utils/api'
import type { useSession as Session } from './session'

let useSession: typeof Session
beforeAll(async () => {
  await asInNuxt()
  useSession = (await import('./session')).useSession
})
const imara = { name: 'imara', displayName: 'Imara Holt', role: 'governance' }
const shell = { organisation: 'Brackenmere Water', stages: ['Trial', 'Live'] }
beforeEach(() => {
  Object.assign(server, {
    getSelf: vi.fn(() => Promise.resolve(imara)),
    getShell: vi.fn(() => Promise.resolve(shell)),
    createSession: vi.fn(() => Promise.resolve(imara)),
    deleteSession: vi.fn(() => Promise.resolve()),
  })
  useSession().$patch({ person: undefined, shell: undefined })
})

describe('the session', () => {
  it('is there when the server knows who asks', async () => {
    const session = useSession()
    expect(await session.load()).toBe('yes')
    expect([session.person, session.shell]).toEqual([imara, shell])
  })

  it.each([
    [{ status: 401 }, 'no'],
    [{ status: 401, type: '/problems/not-set-up' }, 'not set up'],
  ])('is not there after %j', async (problem, state) => {
    server['getSelf']!.mockRejectedValueOnce(new Refusal(problem))
    const session = useSession()
    expect(await session.load()).toBe(state)
    expect(session.person).toBeUndefined()
  })

  it('passes on what is no answer to the question', async () => {
    server['getSelf']!.mockRejectedValueOnce(new Refusal({ status: 503 }))
    await expect(useSession().load()).rejects.toMatchObject({ status: 503 })
  })

  it('begins with a name and a password of any letters', async () => {
    const session = useSession()
    await session.signIn('imara', 'pässwörd: €')
    const [, { headers }] = server['createSession']!.mock.calls[0] as [
      object,
      { headers: { authorization: string } },
    ]
    const sent = Buffer.from(headers.authorization.replace('Basic ', ''), 'base64').toString('utf8')
    expect(sent).toBe('imara:pässwörd: €')
    expect(session.person).toEqual(imara)
  })

  it('forgets everything when it ends', async () => {
    const session = useSession()
    await session.load()
    await session.signOut()
    expect([session.person, session.shell]).toEqual([undefined, undefined])
  })
})
