import { largestArchive } from '../../core/archive/limits'
import { AddressBatch, Batch, BatchAcceptance, BatchQuery } from '../../shared/api/batches'
import { ok, operation, type Operation } from '../http/operation'
import * as batches from '../services/batches'

export const batchOperations: Operation[] = [
  operation<undefined, BatchQuery>({
    id: 'createBatch',
    method: 'POST',
    path: '/batches',
    tag: 'Definitions',
    summary: 'Bring in many definitions: a ZIP or TAR archive',
    description:
      'The archive is kept at once, and unpacked and read by a worker; ask for the batch until it is ready. Nothing enters the register before it is accepted.',
    query: BatchQuery,
    raw: ['application/zip', 'application/x-tar', 'application/gzip', 'application/octet-stream'],
    largest: largestArchive,
    success: { status: 202, says: 'The batch', body: Batch },
    errors: [403],
    handle: ({ bytes, query }, context) =>
      ok(batches.takeInArchive(context, bytes, query.file ?? 'archive')),
  }),
  operation<AddressBatch>({
    id: 'createBatchFromAddresses',
    method: 'POST',
    path: '/batches/from-addresses',
    tag: 'Definitions',
    summary: 'Bring in what stands at several addresses, with everything it refers to',
    body: AddressBatch,
    success: { status: 202, says: 'The batch', body: Batch },
    errors: [403],
    handle: ({ body }, context) => ok(batches.takeInAddresses(context, body)),
  }),
  operation({
    id: 'getBatch',
    method: 'GET',
    path: '/batches/{batch}',
    tag: 'Definitions',
    summary: 'Read how far a batch is, and what becomes of each definition in it',
    success: { status: 200, says: 'The batch', body: Batch },
    handle: ({ params }, { db }) => ok(batches.readBatch(db, params['batch']!)),
  }),
  operation<BatchAcceptance>({
    id: 'acceptBatch',
    method: 'POST',
    path: '/batches/{batch}/accept',
    tag: 'Definitions',
    summary: 'Enter a batch into the register, all of it or nothing',
    body: BatchAcceptance,
    success: { status: 202, says: 'The batch', body: Batch },
    errors: [403, 409],
    handle: ({ params, body }, context) => ok(batches.acceptBatch(context, params['batch']!, body)),
  }),
  operation({
    id: 'cancelBatch',
    method: 'POST',
    path: '/batches/{batch}/cancel',
    tag: 'Definitions',
    summary: 'Stop a batch; nothing of it stays half done',
    success: { status: 200, says: 'The batch', body: Batch },
    errors: [403, 409],
    handle: ({ params }, context) => ok(batches.cancelBatch(context, params['batch']!)),
  }),
]
