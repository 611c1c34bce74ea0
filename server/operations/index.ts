import { describeApi } from '../http/description'
import { operation, type Operation } from '../http/operation'
import { apiVersion } from '../http/version'
import { alertOperations } from './alerts'
import { administrationOperations } from './administration'
import { batchOperations } from './batches'
import { catalogOperations } from './catalog'
import { checkOperations } from './checks'
import { comparisonOperations } from './comparisons'
import { driftOperations } from './drift'
import { endingOperations } from './endings'
import { ledgerOperations } from './ledger'
import { outsideOperations } from './outside'
import { peopleOperations } from './people'
import { placementOperations } from './placements'
import { policyOperations } from './policies'
import { pipelineOperations } from './pipelines'
import { probeOperations } from './probes'
import { releaseOperations } from './releases'
import { promotionOperations } from './promotions'
import { proposalOperations } from './proposals'
import { readingOperations } from './reading'
import { repositoryOperations } from './repositories'
import { resourceOperations } from './resources'
import { ruleOperations } from './rules'
import { taskOperations } from './tasks'
import { tokenOperations } from './tokens'
import { trafficOperations } from './traffic'

/** Every operation of the API; its definition among them describes them all. */
export const operations: Operation[] = [
  ...peopleOperations,
  ...administrationOperations,
  ...tokenOperations,
  ...catalogOperations,
  ...readingOperations,
  ...ruleOperations,
  ...proposalOperations,
  ...checkOperations,
  ...comparisonOperations,
  ...batchOperations,
  ...placementOperations,
  ...endingOperations,
  ...policyOperations,
  ...promotionOperations,
  ...pipelineOperations,
  ...outsideOperations,
  ...probeOperations,
  ...releaseOperations,
  ...repositoryOperations,
  ...resourceOperations,
  ...driftOperations,
  ...alertOperations,
  ...taskOperations,
  ...trafficOperations,
  ...ledgerOperations,
  operation({
    id: 'getDefinition',
    method: 'GET',
    path: '/definition',
    tag: 'Definitions',
    summary: 'Read this API’s own definition',
    success: {
      status: 200,
      says: 'An OpenAPI 3.1 document',
      mediaType: 'application/json',
      example: '{"openapi":"3.1.0"}',
    },
    handle: () => Promise.resolve({ body: Buffer.from(ownDefinition()) }),
  }),
]

let written: string | undefined

/** The API's own definition as text. */
export const ownDefinition = (): string =>
  (written ??= JSON.stringify(describeApi(operations, apiVersion), null, 2) + '\n')
