import {
  Invitation,
  PasswordChoice,
  InvitationTaken,
  MemberItem,
  NewPassword,
  Person,
  PersonChange,
  PersonStart,
  SessionItem,
} from '../../shared/api/people'
import { PageQuery } from '../../shared/api/catalog'
import { done, ok, operation, type Operation } from '../http/operation'
import type { Actor } from '../services/context'
import { pageFrom } from '../services/paging'
import * as people from '../services/people'
import { signIn } from '../services/sign-in'

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
    async handle({ credentials, place }, context) {
      const { session, actor } = await signIn(context, credentials!, place)
      return { body: toPerson(actor), session, known: actor.name }
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
      if (session) await people.signOut(context.db, session)
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
  operation<undefined, PageQuery>({
    id: 'listSessions',
    method: 'GET',
    path: '/self/sessions',
    tag: 'People',
    summary: 'List one’s own sessions',
    query: PageQuery,
    success: { status: 200, says: 'A page of sessions', page: SessionItem },
    handle: async ({ session, query }, context) =>
      ok(pageFrom(await people.listSessions(context, session), query)),
  }),
  operation({
    id: 'endSession',
    method: 'DELETE',
    path: '/self/sessions/{session}',
    tag: 'People',
    summary: 'End one of one’s own sessions',
    success: { status: 204, says: 'It has ended' },
    calledWith: 'session',
    handle: ({ params }, context) => done(people.endSession(context, params['session']!)),
  }),
  operation<NewPassword>({
    id: 'changePassword',
    method: 'PUT',
    path: '/self/password',
    tag: 'People',
    summary: 'Replace one’s own password, and end every other session',
    body: NewPassword,
    success: { status: 204, says: 'It is replaced' },
    errors: [422, 429],
    calledWith: 'session',
    handle: ({ body, session }, context) => done(people.changePassword(context, session, body)),
  }),
  operation<undefined, PageQuery>({
    id: 'listPeople',
    method: 'GET',
    path: '/people',
    tag: 'Administration',
    summary: 'List everybody with what they may do',
    query: PageQuery,
    success: { status: 200, says: 'A page of people', page: MemberItem },
    errors: [403],
    handle: async ({ query }, context) => ok(pageFrom(await people.listPeople(context), query)),
  }),
  operation<PersonStart>({
    id: 'addPerson',
    method: 'POST',
    path: '/people',
    tag: 'Administration',
    summary: 'Add a person, who sets a password by the link in the response',
    body: PersonStart,
    success: { status: 201, says: 'The link, shown this once', body: Invitation },
    errors: [403, 409, 422],
    calledWith: 'session',
    handle: ({ body }, context) => ok(people.addPerson(context, body)),
  }),
  operation<PersonChange>({
    id: 'changePerson',
    method: 'PATCH',
    path: '/people/{person}',
    tag: 'Administration',
    summary: 'Change a person’s name, role or team, or end their access',
    body: PersonChange,
    success: { status: 204, says: 'It is changed' },
    errors: [403, 409, 422],
    calledWith: 'session',
    handle: ({ params, body }, context) =>
      done(people.changePerson(context, params['person']!, body)),
  }),
  operation({
    id: 'invitePerson',
    method: 'POST',
    path: '/people/{person}/invitation',
    tag: 'Administration',
    summary: 'Give a person a new link to set a password by',
    success: { status: 201, says: 'The link, shown this once', body: Invitation },
    errors: [403, 409],
    calledWith: 'session',
    handle: ({ params }, context) => ok(people.invite(context, params['person']!)),
  }),
  operation<PasswordChoice>({
    id: 'acceptInvitation',
    method: 'POST',
    path: '/invitations',
    tag: 'People',
    summary: 'Set a password by the link of an invitation',
    body: PasswordChoice,
    success: { status: 201, says: 'The account to sign in with', body: InvitationTaken },
    errors: [422, 429],
    calledWith: 'code',
    handle: ({ body, code }, context) => ok(people.acceptInvitation(context, code, body)),
  }),
]
