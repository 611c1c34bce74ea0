import {
  ConsistencyProof,
  ConsistencyQuery,
  InclusionProof,
  LedgerEntry,
  LedgerQuery,
  ProofQuery,
  SignedHeadItem,
  Verification,
} from '../../shared/api/ledger'
import { PageQuery } from '../../shared/api/catalog'
import { ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import { askWitness, publicKey, readHeads } from '../services/heads'
import {
  exportLedger,
  listEntries,
  proveConsistency,
  proveInclusion,
  verifyLedger,
} from '../services/ledger'
import { pageFrom } from '../services/paging'

export const ledgerOperations: Operation[] = [
  operation<undefined, LedgerQuery>({
    id: 'listLedgerEntries',
    method: 'GET',
    path: '/ledger',
    tag: 'Ledger',
    summary: 'List the entries of the ledger, newest first',
    query: LedgerQuery,
    success: { status: 200, says: 'A page of entries', page: LedgerEntry },
    handle: ({ query }, { db }) => ok(listEntries(db, query)),
  }),
  operation({
    id: 'verifyLedger',
    method: 'POST',
    path: '/ledger/verify',
    tag: 'Ledger',
    summary: 'Compute every hash again, and hold the ledger against every signed head',
    success: { status: 200, says: 'Whether the ledger holds', body: Verification },
    handle: async (_asked, { system, heads }) =>
      ok(verifyLedger(system.db, readHeads(heads), await askWitness(heads))),
  }),
  operation<undefined, PageQuery>({
    id: 'listLedgerHeads',
    method: 'GET',
    path: '/ledger/heads',
    tag: 'Ledger',
    summary: 'List the signed heads, newest first',
    query: PageQuery,
    success: { status: 200, says: 'A page of heads', page: SignedHeadItem },
    handle: ({ query }, { heads }) => ok(pageFrom(readHeads(heads).reverse(), query)),
  }),
  operation({
    id: 'getLedgerKey',
    method: 'GET',
    path: '/ledger/key',
    tag: 'Ledger',
    summary: 'Read the public key that heads are checked with',
    success: {
      status: 200,
      says: 'The key in PEM',
      mediaType: 'application/x-pem-file',
      example: '-----BEGIN PUBLIC KEY-----',
    },
    handle: (_asked, { heads }) => ok(publicKey(heads)),
  }),
  operation<undefined, ProofQuery>({
    id: 'getInclusionProof',
    method: 'GET',
    path: '/ledger/entries/{entry}/proof',
    tag: 'Ledger',
    summary: 'Show by hashes alone that an entry is in the ledger',
    query: ProofQuery,
    success: { status: 200, says: 'The proof', body: InclusionProof },
    handle: ({ params, query }, { system }) =>
      ok(proveInclusion(system.db, numberIn(params, 'entry'), query)),
  }),
  operation<undefined, ConsistencyQuery>({
    id: 'getConsistencyProof',
    method: 'GET',
    path: '/ledger/consistency',
    tag: 'Ledger',
    summary: 'Show by hashes alone that a later ledger goes on from an earlier one',
    query: ConsistencyQuery,
    success: { status: 200, says: 'The proof', body: ConsistencyProof },
    handle: ({ query }, { system }) => ok(proveConsistency(system.db, query)),
  }),
  operation({
    id: 'exportLedger',
    method: 'GET',
    path: '/ledger/export',
    tag: 'Ledger',
    summary: 'Download all entries and signed heads, to be verified elsewhere',
    description:
      'JSON Lines: `{"entry": …}` for each entry in order, or `{"withheld": …}` with the hashes of one that the caller may not read, then `{"head": …}` for each signed head. `elm-ledger verify` checks it with the public key alone.',
    success: {
      status: 200,
      says: 'The entries and heads',
      mediaType: 'application/jsonl',
      example: '{"entry":{"number":1}}',
    },
    handle: async (_asked, context) => ({
      body: await exportLedger(context, readHeads(context.heads)),
      headers: { 'Content-Disposition': 'attachment; filename="ledger.jsonl"' },
    }),
  }),
]
