import { PageQuery } from '../../shared/api/catalog'
import {
  ProbeBody,
  ProbeDraft,
  ProbeItem,
  ProbeRunItem,
  ProbeRunQuery,
  ProbeRunRequest,
} from '../../shared/api/probes'
import { done, ok, operation, type Operation } from '../http/operation'
import { numberIn } from '../http/validate'
import * as probes from '../services/probes'

export const probeOperations: Operation[] = [
  operation<undefined, PageQuery>({
    id: 'listProbes',
    method: 'GET',
    path: '/apis/{api}/probes',
    tag: 'Probes',
    summary: 'List the probes of an API, with how each went last',
    query: PageQuery,
    success: { status: 200, says: 'A page of probes', page: ProbeItem },
    handle: ({ params, query }, context) => ok(probes.listProbes(context, params['api']!, query)),
  }),
  operation<ProbeBody>({
    id: 'createProbe',
    method: 'POST',
    path: '/apis/{api}/probes',
    tag: 'Probes',
    summary: 'Keep an Arazzo description as a probe of an API',
    body: ProbeBody,
    success: { status: 201, says: 'The probe', body: ProbeItem },
    errors: [403, 409],
    handle: ({ params, body }, context) => ok(probes.createProbe(context, params['api']!, body)),
  }),
  operation({
    id: 'getProbeDraft',
    method: 'GET',
    path: '/apis/{api}/probe-draft',
    tag: 'Probes',
    summary: 'Make a probe of what the newest definition lets read, with its own examples',
    success: { status: 200, says: 'The description, and what is left out', body: ProbeDraft },
    handle: ({ params }, context) => ok(probes.draftProbe(context, params['api']!)),
  }),
  operation<ProbeBody>({
    id: 'updateProbe',
    method: 'PUT',
    path: '/probes/{probe}',
    tag: 'Probes',
    summary: 'Change a probe; its results begin anew',
    body: ProbeBody,
    conditional: true,
    success: { status: 200, says: 'The probe', body: ProbeItem },
    errors: [403, 409],
    handle: ({ params, body, ifMatch }, context) =>
      ok(probes.changeProbe(context, numberIn(params, 'probe'), body, ifMatch)),
  }),
  operation({
    id: 'removeProbe',
    method: 'DELETE',
    path: '/probes/{probe}',
    tag: 'Probes',
    summary: 'Take a probe away, with its results',
    success: { status: 204, says: 'It is gone' },
    errors: [403],
    handle: ({ params }, context) => done(probes.removeProbe(context, numberIn(params, 'probe'))),
  }),
  operation<undefined, ProbeRunQuery>({
    id: 'listProbeRuns',
    method: 'GET',
    path: '/probes/{probe}/runs',
    tag: 'Probes',
    summary: 'List what came of a probe, the newest first',
    query: ProbeRunQuery,
    success: { status: 200, says: 'A page of runs', page: ProbeRunItem },
    handle: ({ params, query }, context) =>
      ok(probes.listProbeRuns(context, numberIn(params, 'probe'), query)),
  }),
  operation<ProbeRunRequest>({
    id: 'runProbe',
    method: 'POST',
    path: '/probes/{probe}/runs',
    tag: 'Probes',
    summary: 'Send a probe now, through every gateway of a placement',
    body: ProbeRunRequest,
    success: { status: 200, says: 'What came of it, the newest first', page: ProbeRunItem },
    errors: [403, 409],
    handle: ({ params, body }, context) =>
      ok(probes.runNow(context, numberIn(params, 'probe'), body.placement)),
  }),
  operation({
    id: 'issueProbeKey',
    method: 'POST',
    path: '/placements/{placement}/probe-key',
    tag: 'Probes',
    summary: 'Give probes a key of their own at a placement, which nobody sees',
    success: { status: 204, says: 'They have one' },
    errors: [403, 409, 502],
    handle: ({ params }, context) => done(probes.issueProbeKey(context, params['placement']!)),
  }),
]
