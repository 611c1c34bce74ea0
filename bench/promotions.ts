import { eq } from 'drizzle-orm'
import { apis, placements, promotions, revisions, versions } from '../server/db/schema'
import { judgeWaiting } from '../server/services/promotion-gates'
import { bringIn, definition, makeWorld } from '../tests/support/world'
import { lines } from './measure'

const many = 200

/** How long it takes to judge the gates of many requests that wait, each of an API of its own, and to list whom they wait for. */
export async function waiting(): Promise<void> {
  process.env['ELM_TEST_DATABASE'] = new URL('/', process.env['ELM_BENCH_DATABASE']).href.replace(
    /\/$/,
    '',
  )
  const world = await makeWorld({ gateways: { 'north-edge': 'edge', 'south-edge': 'edge' } })
  const { db } = world
  try {
    const tomas = await world.visitor('tomas')
    const ruth = await world.visitor('ruth')
    const slug = 'supply-interruptions'
    await bringIn(tomas, definition(`${slug}/2.4.0.yaml`))
    const { spec, group } = await tomas.api.getPlacementDraft({ api: slug })
    const routes = spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' as const } }))
    const version = '2.4.0'
    await tomas.api.createPlacement({}, { api: slug, version, group, spec: { ...spec, routes } })
    const [api] = await db.select().from(apis).where(eq(apis.slug, slug))
    const [revision] = await db.select().from(revisions).where(eq(revisions.apiId, api!.id))
    const [placement] = await db.select().from(placements)
    const asked = { version, fromStage: 'Trial', toStage: 'Rehearsal', state: 'waiting' as const }
    for (let n = 0; n < many; n++) {
      const { id: _, ...like } = api!
      const [made] = await db
        .insert(apis)
        .values({ ...like, slug: `${slug}-${n}`, title: `Copy ${n}` })
        .returning({ id: apis.id })
      const apiId = made!.id
      const { id: _own, ...text } = revision!
      const [copy] = await db
        .insert(revisions)
        .values({ ...text, apiId })
        .returning({ id: revisions.id })
      const revisionId = copy!.id
      await db.insert(versions).values({ apiId, version, revisionId })
      const at = { ...placement!.spec, basePath: `/copy-${n}` }
      await db.insert(placements).values([
        { ...placement!, id: `copy-${n}`, apiId, revisionId, spec: at },
        // The one before it stands where it goes.
        ...(n % 2
          ? [
              {
                ...{ ...placement!, id: `before-${n}`, apiId, revisionId, spec: at },
                ...{ version: '2.3.0', stage: 'Rehearsal' },
              },
            ]
          : []),
      ])
      await db
        .insert(promotions)
        .values({ ...asked, apiId, requestedById: 1, requestedAt: new Date(), note: '' })
    }
    const took = async (work: () => Promise<unknown>) => {
      await work()
      const begun = performance.now()
      await work()
      return performance.now() - begun
    }
    const judged = await took(() => judgeWaiting(world.services))
    const listed = await took(() => ruth.api.listTasks({ limit: 500 }))
    lines.push(
      `${`The gates of ${many} requests, judged`.padEnd(52)} ${(judged / 1000).toFixed(2).padStart(7)} s, aim 2`,
      `${`What waits for a reviewer of them, listed`.padEnd(52)} ${(listed / 1000).toFixed(2).padStart(7)} s`,
    )
  } finally {
    await world.close()
  }
}
