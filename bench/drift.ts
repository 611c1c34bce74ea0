import { drift as differences, placements } from '../server/db/schema'
import { checkGateway } from '../server/services/gateways'
import { scopeEtag } from '../shared/etags'
import { bringIn, definition, makeWorld } from '../tests/support/world'
import { lines, reportWaiting } from './measure'

const many = 1000
const secret = { 'x-admin-secret': 'gateway-secret' }

/** A thousand placements of twenty routes are held against what their gateway runs: as approved, and edited by hand. */
export async function drift(): Promise<void> {
  process.env['ELM_TEST_DATABASE'] = new URL('/', process.env['ELM_BENCH_DATABASE']).href.replace(
    /\/$/,
    '',
  )
  const world = await makeWorld({ gateways: { 'north-edge': 'edge' } })
  try {
    const [tomas, oskar] = [await world.visitor('tomas'), await world.visitor('oskar')]
    const api = 'supply-interruptions'
    await bringIn(tomas, definition(`${api}/2.4.0.yaml`))
    const { spec, group } = await tomas.api.getPlacementDraft({ api })
    const routes = spec.routes.map((row) => ({
      ...row,
      treatment: { kind: 'route' as const, backend: 'main' },
    }))
    const whole = { ...spec, routes }
    await tomas.api.createPlacement({}, { api, version: '2.4.0', group, spec: whole })
    const [row] = await world.db.select().from(placements)
    await world.db.insert(placements).values(
      Array.from({ length: many - 1 }, (_, n) => ({
        ...row!,
        id: `supply-copy-${n}`,
        spec: { ...row!.spec, basePath: `/copy-${n}` },
      })),
    )
    const scope = await oskar.api.getPolicyScope({ scope: 'organisation' })
    const caching = { visibility: 'private' as const, maxAgeSeconds: 10 }
    const body = { policies: { caching }, binding: [] }
    const ifMatch = scopeEtag(scope)
    const done = await oskar.api.updatePolicyScope({ scope: 'organisation' }, body, { ifMatch })
    if ('steps' in done)
      for (let ended = false; !ended; await new Promise((resolve) => setTimeout(resolve, 100)))
        ended = (await oskar.api.getRollout({ rollout: done.id })).endedAt !== undefined
    const read = async () => {
      const begun = performance.now()
      await checkGateway(world.services, 'north-edge')
      return performance.now() - begun
    }
    const times = []
    for (let round = 0; round < 12; round++) times.push(await read())
    const what = `${many} placements, ${many * routes.length} routes, as approved`
    reportWaiting(what, times.slice(2), 'readings', 3000)
    const configuration = `${world.adminUrl}/configuration`
    const text = await (await fetch(configuration, { headers: secret })).text()
    // One limit in ten is another one.
    let seen = 0
    const edited = text.replace(/requests: (\d+)/g, (said, n: string) =>
      seen++ % 10 === 0 ? `requests: ${Number(n) + 1}` : said,
    )
    await fetch(configuration, { method: 'PUT', body: edited, headers: secret })
    const first = await read()
    const opened = await world.db.$count(differences)
    lines.push(
      `${`${opened} differences, read and parsed for the first time`.padEnd(52)} ${first.toFixed(0).padStart(7)} ms`,
    )
    const again = []
    for (let round = 0; round < 10; round++) again.push(await read())
    reportWaiting('The same, with the snapshot in hand', again, 'readings', 3000)
  } finally {
    await world.close()
  }
}
