import { placements } from '../server/db/schema'
import { scopeEtag } from '../shared/etags'
import { bringIn, definition, makeWorld } from '../tests/support/world'
import { lines } from './measure'

const many = 500

/** One change of an organisation's policy at 500 placements on two gateways, from the request to every confirmation. */
export async function policies(): Promise<void> {
  process.env['ELM_TEST_DATABASE'] = new URL('/', process.env['ELM_BENCH_DATABASE']).href.replace(
    /\/$/,
    '',
  )
  const world = await makeWorld({ gateways: { 'north-edge': 'edge', 'south-edge': 'edge' } })
  try {
    const tomas = await world.visitor('tomas')
    const oskar = await world.visitor('oskar')
    const api = 'supply-interruptions'
    await bringIn(tomas, definition(`${api}/2.4.0.yaml`))
    const { spec, group } = await tomas.api.getPlacementDraft({ api })
    const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
    const version = '2.4.0'
    await tomas.api.createPlacement({}, { api, version, group, spec: { ...spec, routes } })
    const [row] = await world.db.select().from(placements)
    await world.db.insert(placements).values(
      Array.from({ length: many - 1 }, (_, n) => ({
        ...row!,
        id: `supply-copy-${n}`,
        spec: { ...row!.spec, basePath: `/copy-${n}` },
      })),
    )
    const say = async (maxAgeSeconds: number) => {
      const scope = await oskar.api.getPolicyScope({ scope: 'organisation' })
      const caching = { visibility: 'private' as const, maxAgeSeconds }
      const body = { policies: { caching }, binding: [] }
      const begun = performance.now()
      const done = await oskar.api.updatePolicyScope({ scope: 'organisation' }, body, {
        ifMatch: scopeEtag(scope),
      })
      if ('steps' in done)
        for (let ended = false; !ended; await new Promise((resolve) => setTimeout(resolve, 50)))
          ended = (await oskar.api.getRollout({ rollout: done.id })).endedAt !== undefined
      return performance.now() - begun
    }
    const preview = performance.now()
    const seen = await oskar.api.previewPolicyScope(
      { scope: 'organisation' },
      { policies: { caching: { visibility: 'private', maxAgeSeconds: 1 } }, binding: [] },
    )
    const previewed = performance.now() - preview
    if (seen.placements.length !== many) throw new Error(`${seen.placements.length} would change`)
    await say(10)
    const took = await say(20)
    lines.push(
      `${`What a policy does to ${many} placements, shown`.padEnd(52)} ${previewed.toFixed(0).padStart(7)} ms`,
      `${`Rolled out to ${many} placements on two gateways`.padEnd(52)} ${(took / 1000).toFixed(1).padStart(7)} s, aim 10`,
    )
  } finally {
    await world.close()
  }
}
