import { Person } from '../../shared/api/people'
import { ok, operation, type Operation } from '../http/operation'
import type { Actor } from '../services/context'
import { signIn, signOut } from '../services/people'

const toPerson = ({ name, displayName, role, team }: Actor): Person => ({
  name,
  displayName,
  role,
  ...(team !== undefined && { team }),
})

export const peopleOperations: Operation[] = [
  operation({
    id: 'createSession',
    method: 'POST',
    path: '/session',
    tag: 'People',
    summary: 'Sign in with a name and a password',
    success: { status: 201, says: 'Signed in; the session is in the cookie', body: Person },
    errors: [422, 429],
    calledWith: 'password',
    async handle({ credentials }, context) {
      const { session, actor } = await signIn(context, credentials!)
      return { body: toPerson(actor), session }
    },
  }),
  operation({
    id: 'deleteSession',
    method: 'DELETE',
    path: '/session',
    tag: 'People',
    summary: 'Sign out',
    success: { status: 204, says: 'Signed out; the session is gone' },
    async handle({ session }, context) {
      if (session) await signOut(context.db, session)
      return { body: undefined, session: null }
    },
  }),
  operation({
    id: 'getSelf',
    method: 'GET',
    path: '/self',
    tag: 'People',
    summary: 'Say who is signed in',
    success: { status: 200, says: 'The person', body: Person },
    handle: (_asked, { actor }) => ok(toPerson(actor)),
  }),
]
