import { placements, promotions } from '../server/db/schema'
import { judgeWaiting } from '../server/services/promotion-gates'
import { makeWorld } from '../tests/support/world'
import { copies, version } from './copies'
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
    const ruth = await world.visitor('ruth')
    const asked = { version, fromStage: 'Trial', toStage: 'Rehearsal', state: 'waiting' as const }
    for (const [n, { apiId, placement }] of (await copies(world, many)).entries()) {
      // The one before it stands where it goes.
      if (n % 2)
        await db.insert(placements).values({
          ...{ ...placement, id: `before-${n}`, version: '2.3.0', stage: 'Rehearsal' },
        })
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
