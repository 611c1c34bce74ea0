import {
  ComparisonChange,
  ComparisonChangeDetail,
  ComparisonChangesQuery,
  ComparisonItem,
  ComparisonReportQuery,
  ComparisonRequest,
  FileComparisonQuery,
} from '../../shared/api/comparisons'
import { ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import { apiVersion } from '../http/version'
import * as comparisons from '../services/comparisons'
import { definitionTypes, reportTypes } from './bodies'

export const comparisonOperations: Operation[] = [
  operation<ComparisonRequest>({
    id: 'createComparison',
    method: 'POST',
    path: '/comparisons',
    tag: 'Comparisons',
    summary:
      'Compare two definitions of the register: revisions, versions, or what runs in a stage',
    description:
      'Small definitions are compared when the response comes. Larger ones are left to the workers; read the comparison until it is done. What was compared before is there at once.',
    body: ComparisonRequest,
    scope: 'check',
    success: { status: 202, says: 'The comparison', body: ComparisonItem },
    errors: [404],
    handle: ({ body }, context) => ok(comparisons.startComparison(context, body)),
  }),
  operation<undefined, FileComparisonQuery>({
    id: 'createFileComparison',
    method: 'POST',
    path: '/comparisons/file',
    tag: 'Comparisons',
    summary: 'Compare what the register has with a file that is newer, without keeping it',
    query: FileComparisonQuery,
    raw: definitionTypes,
    scope: 'check',
    success: { status: 202, says: 'The comparison', body: ComparisonItem },
    errors: [404],
    handle: ({ bytes, query }, context) =>
      ok(comparisons.startFileComparison(context, bytes, query)),
  }),
  operation({
    id: 'getComparison',
    method: 'GET',
    path: '/comparisons/{comparison}',
    tag: 'Comparisons',
    summary: 'Read how a comparison stands: counts, the version number that fits, who is touched',
    scope: 'check',
    success: { status: 200, says: 'The comparison', body: ComparisonItem },
    handle: ({ params }, context) => ok(comparisons.readComparison(context, params['comparison']!)),
  }),
  operation<undefined, ComparisonChangesQuery>({
    id: 'listComparisonChanges',
    usual: 200,
    method: 'GET',
    path: '/comparisons/{comparison}/changes',
    tag: 'Comparisons',
    summary: 'List changes, operation by operation, what breaks first',
    query: ComparisonChangesQuery,
    scope: 'check',
    success: { status: 200, says: 'A page of changes', page: ComparisonChange },
    errors: [409],
    handle: ({ params, query }, context) =>
      ok(comparisons.listComparisonChanges(context, params['comparison']!, query)),
  }),
  operation({
    id: 'getComparisonChange',
    method: 'GET',
    path: '/comparisons/{comparison}/changes/{change}',
    tag: 'Comparisons',
    summary: 'Read one change: what shows it, both texts at its place, and who is touched',
    scope: 'check',
    success: { status: 200, says: 'The change', body: ComparisonChangeDetail },
    errors: [409],
    handle: ({ params }, context) =>
      ok(
        comparisons.readComparisonChange(
          context,
          params['comparison']!,
          numberIn(params, 'change'),
        ),
      ),
  }),
  operation<undefined, ComparisonReportQuery>({
    id: 'getComparisonReport',
    method: 'GET',
    path: '/comparisons/{comparison}/report',
    tag: 'Comparisons',
    summary: 'Read a comparison as Markdown, text, JSON, SARIF 2.1.0 or JUnit XML',
    query: ComparisonReportQuery,
    scope: 'check',
    success: { status: 200, says: 'The report', mediaType: 'text/markdown', example: '# Changes' },
    errors: [409],
    async handle({ params, query }, context) {
      const text = await comparisons.writeReport(context, params['comparison']!, query, apiVersion)
      return {
        body: Buffer.from(text),
        headers: { 'Content-Type': reportTypes[query.format ?? 'markdown'] },
      }
    },
  }),
]
