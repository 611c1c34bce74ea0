import { CheckItem, CheckQuery, ReportQuery } from '../../shared/api/checks'
import { ok, operation, type Operation } from '../http/operation'
import { readCheck, startCheck, writeCheck } from '../services/checks'
import { apiVersion } from '../http/version'
import { definitionTypes, reportTypes } from './bodies'

export const checkOperations: Operation[] = [
  operation<undefined, CheckQuery>({
    id: 'createCheck',
    method: 'POST',
    path: '/checks',
    tag: 'Rules',
    summary: 'Check a text against the rulebook in force, without keeping it',
    description:
      'A small text is done when the answer comes. A larger one is left to the workers; read the check until it is done.',
    query: CheckQuery,
    raw: definitionTypes,
    scope: 'check',
    success: { status: 202, says: 'The check', body: CheckItem },
    handle: ({ bytes, query }, context) => ok(startCheck(context, bytes, query)),
  }),
  operation({
    id: 'getCheck',
    method: 'GET',
    path: '/checks/{check}',
    tag: 'Rules',
    summary: 'Read how a check stands, with its figures',
    scope: 'check',
    success: { status: 200, says: 'The check', body: CheckItem },
    handle: ({ params }, { db }) => ok(readCheck(db, params['check']!)),
  }),
  operation<undefined, ReportQuery>({
    id: 'getCheckReport',
    method: 'GET',
    path: '/checks/{check}/report',
    tag: 'Rules',
    summary: 'Read what a check found, as text, JSON, SARIF 2.1.0, JUnit XML or Markdown',
    query: ReportQuery,
    scope: 'check',
    success: { status: 200, says: 'The report', mediaType: 'text/plain', example: '[]' },
    errors: [409],
    async handle({ params, query }, context) {
      const text = await writeCheck(context, params['check']!, query, apiVersion)
      const type = reportTypes[query.format ?? 'json']
      return { body: Buffer.from(text), headers: { 'Content-Type': type } }
    },
  }),
]
