import { actAs, type Services } from '../server/services/context'
import { actorNamed } from '../server/services/people'
import { connectRepository } from '../server/services/repositories'
import { changePublicAddress } from '../server/services/settings'
import { workJobs } from '../server/services/repository-work'

/** Metering keeps its definition in a repository of the stand-in host, where a push can be tried. */
export async function seedRepositories(services: Services, standins: string): Promise<void> {
  const nadia = actAs(services, await actorNamed(services.db, 'nadia'))
  const { secret, repository } = await connectRepository(nadia, {
    title: 'Meter readings',
    url: `${standins}/git/meter-readings.git`,
    statusUrl: `${standins}/git/meter-readings/statuses/{commit}`,
    token: process.env['ELM_STANDIN_CLIENT_SECRET'] ?? 'standin',
    ...{ team: 'Metering', audience: 'partner' },
    refs: [
      { kind: 'branch', name: 'main', stage: 'Trial' },
      { kind: 'tag', name: 'v*', stage: 'Rehearsal' },
    ],
    definitions: [{ path: 'openapi.yaml', api: 'meter-readings' }],
  })
  const web = process.env['ELM_WEB'] ?? 'http://127.0.0.1:4310'
  const ada = actAs(services, await actorNamed(services.db, 'ada'))
  await changePublicAddress(ada, { publicAddress: web }, web)
  const url = `${web}/api/v1/repositories/${repository}/deliveries`
  const set = await fetch(`${standins}/git/meter-readings/hook`, {
    method: 'POST',
    body: new URLSearchParams({ url, secret }),
    redirect: 'manual',
  })
  if (set.status !== 303) throw new Error(`The stand-in host answered ${set.status}`)
  await workJobs(services)
}
