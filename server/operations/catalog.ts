import {
  Acceptance,
  AddressIntake,
  ApiChange,
  ApiDetail,
  Intake,
  IntakeQuery,
  PageQuery,
  RegisterPage,
  RevisionDetail,
  RevisionItem,
  Saved,
} from '../../shared/api/catalog'
import { revisionEtag } from '../../shared/etags'
import { ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import { definitionTypes, textTypes } from './bodies'
import * as catalog from '../services/catalog'
import * as intakes from '../services/intakes'
import { FileQuery, SaveQuery } from '../../shared/api/reading'
import { Shell } from '../../shared/api/shell'
import { readRegister, readShell } from '../services/register'

export const catalogOperations: Operation[] = [
  operation({
    id: 'getShell',
    method: 'GET',
    path: '/shell',
    tag: 'Register',
    summary: 'Read what stands around every screen',
    description: 'The organisation, its stages and teams, and the numbers on the tabs.',
    success: { status: 200, says: 'The shell', body: Shell },
    handle: (_asked, context) => ok(readShell(context)),
  }),
  operation<undefined, PageQuery>({
    id: 'listApis',
    usual: 1000,
    method: 'GET',
    path: '/apis',
    tag: 'Register',
    summary: 'List the APIs of the register with where their versions live',
    query: PageQuery,
    success: { status: 200, says: 'A page of the register', body: RegisterPage },
    handle: ({ query }, { db, now }) => ok(readRegister(db, now(), query)),
  }),
  operation({
    id: 'getApi',
    method: 'GET',
    path: '/apis/{api}',
    tag: 'Register',
    summary: 'Read one API',
    success: { status: 200, says: 'The API', body: ApiDetail },
    handle: ({ params }, context) => ok(catalog.readApi(context, params['api']!)),
  }),
  operation<ApiChange>({
    id: 'updateApi',
    method: 'PATCH',
    path: '/apis/{api}',
    tag: 'Register',
    summary: 'Change the team, audience or lifecycle of an API',
    body: ApiChange,
    success: { status: 200, says: 'The API as it is now', body: ApiDetail },
    errors: [403],
    handle: ({ params, body }, context) => ok(catalog.changeApi(context, params['api']!, body)),
  }),
  operation<undefined, PageQuery>({
    id: 'listRevisions',
    method: 'GET',
    path: '/apis/{api}/revisions',
    tag: 'Definitions',
    summary: 'List the revisions of an API, newest first',
    query: PageQuery,
    success: { status: 200, says: 'A page of revisions', page: RevisionItem },
    handle: ({ params, query }, { db }) => ok(catalog.listRevisions(db, params['api']!, query)),
  }),
  operation<undefined, SaveQuery>({
    id: 'saveRevision',
    method: 'POST',
    path: '/apis/{api}/revisions',
    tag: 'Definitions',
    summary: 'Save a text as the next revision',
    description:
      'The text is the main file; those beside it stay. A ZIP replaces all files. All is read and checked whole before anything is kept. If-Match names the revision it was written on.',
    query: SaveQuery,
    raw: definitionTypes,
    conditional: true,
    success: { status: 201, says: 'The revision that was saved', body: Saved },
    errors: [403, 409],
    handle: ({ params, query, bytes, ifMatch }, context) =>
      ok(catalog.saveRevision(context, params['api']!, bytes, ifMatch, query.file)),
  }),
  operation({
    id: 'getRevision',
    method: 'GET',
    path: '/apis/{api}/revisions/{revision}',
    tag: 'Definitions',
    summary: 'Read what is known of a revision',
    success: {
      status: 200,
      says: 'The revision, its operations and schemas',
      body: RevisionDetail,
    },
    handle: ({ params }, { db }) =>
      ok(catalog.readRevision(db, params['api']!, numberIn(params, 'revision'))),
  }),
  operation<undefined, FileQuery>({
    id: 'getRevisionText',
    method: 'GET',
    path: '/apis/{api}/revisions/{revision}/text',
    tag: 'Definitions',
    summary: 'Read the text of a revision, byte for byte',
    query: FileQuery,
    success: {
      status: 200,
      says: 'The text',
      mediaType: 'text/plain; charset=utf-8',
      example: 'openapi: 3.1.0\n',
    },
    async handle({ params, query }, { db }) {
      const number = numberIn(params, 'revision')
      const { bytes, file } = await catalog.readText(db, params['api']!, number, query.file)
      return {
        body: bytes,
        headers: {
          ETag: revisionEtag(number),
          'X-Content-Type-Options': 'nosniff',
          'Content-Disposition': `inline; filename="${file.replace(/[^\w.-]+/g, '-')}"`,
        },
      }
    },
  }),
  operation<undefined, IntakeQuery>({
    id: 'createIntake',
    method: 'POST',
    path: '/intakes',
    tag: 'Definitions',
    summary: 'Bring a text in to be read',
    description:
      'The text is kept at once and read by a worker; ask for the intake until it is ready.',
    query: IntakeQuery,
    raw: textTypes,
    success: { status: 202, says: 'The intake', body: Intake },
    errors: [403],
    handle: ({ bytes, query }, context) =>
      ok(intakes.takeIn(context, bytes, query.file ?? 'pasted text')),
  }),
  operation<AddressIntake>({
    id: 'createIntakeFromAddress',
    method: 'POST',
    path: '/intakes/from-address',
    tag: 'Definitions',
    summary: 'Bring in what stands at an address',
    description:
      'Only http and https, only public targets, bounded in size and time, every redirect checked anew.',
    body: AddressIntake,
    success: { status: 202, says: 'The intake', body: Intake },
    errors: [403],
    handle: ({ body }, context) =>
      ok(intakes.takeInAddress(context, body.url, body.agreed ?? false)),
  }),
  operation({
    id: 'getIntake',
    method: 'GET',
    path: '/intakes/{intake}',
    tag: 'Definitions',
    summary: 'Read how far an intake is',
    success: { status: 200, says: 'The intake', body: Intake },
    handle: ({ params }, { db }) => ok(intakes.readIntake(db, params['intake']!)),
  }),
  operation({
    id: 'createIntakeReferences',
    method: 'POST',
    path: '/intakes/{intake}/references',
    tag: 'Definitions',
    summary: 'Agree that what an intake refers to on other hosts is fetched',
    description: 'Only under the guard: public targets, bounded in size, count and time.',
    success: { status: 202, says: 'The intake, which is read again', body: Intake },
    errors: [403, 409],
    handle: ({ params }, context) => ok(intakes.agreeToFetch(context, params['intake']!)),
  }),
  operation({
    id: 'getIntakeText',
    method: 'GET',
    path: '/intakes/{intake}/text',
    tag: 'Definitions',
    summary: 'Read the text that was brought in',
    success: {
      status: 200,
      says: 'The text',
      mediaType: 'text/plain; charset=utf-8',
      example: 'openapi: 3.1.0\n',
    },
    async handle({ params }, { db }) {
      return {
        body: await intakes.intakeText(db, params['intake']!),
        headers: { 'X-Content-Type-Options': 'nosniff' },
      }
    },
  }),
  operation<Acceptance>({
    id: 'acceptIntake',
    method: 'POST',
    path: '/intakes/{intake}/accept',
    tag: 'Definitions',
    summary: 'Enter what was brought in into the register',
    body: Acceptance,
    success: { status: 201, says: 'The revision that was saved', body: Saved },
    errors: [403, 409],
    handle: ({ params, body }, context) =>
      ok(intakes.acceptIntake(context, params['intake']!, body)),
  }),
]
