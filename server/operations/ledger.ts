import { LedgerEntry, LedgerQuery, Verification } from '../../shared/api/ledger'
import { ok, operation, type Operation } from '../http/operation'
import { listEntries, verifyLedger } from '../services/ledger'

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
    summary: 'Compute every hash again and name the first broken entry',
    success: { status: 200, says: 'Whether the chain holds', body: Verification },
    handle: (_asked, { db }) => ok(verifyLedger(db)),
  }),
]
