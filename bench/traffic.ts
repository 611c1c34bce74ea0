import type { TrafficEvent } from '../core/traffic/event'
import { countEvents } from '../server/services/traffic-intake'
import { sql } from 'drizzle-orm'
import { trafficDimensions, trafficPeriods } from '../shared/words'
import { bringIn, definition, makeWorld, type World } from '../tests/support/world'
import { lines, reportWaiting } from './measure'

const all = 1_000_000
/** As many as a gateway gives out at once. */
const batch = 20_000
const operations = 10_000
const placements = 500
const clients = 40

/** A day of a million events is counted while people read; then ninety days are looked at in every way. */
export async function traffic(): Promise<void> {
  const { href } = new URL('/', process.env['ELM_BENCH_DATABASE'])
  process.env['ELM_TEST_DATABASE'] = href.replace(/\/$/, '')
  const world = await makeWorld({ gateways: { 'north-edge': 'edge' } })
  try {
    const tomas = await world.visitor('tomas')
    await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
    const begun = performance.now()
    const waits: number[] = []
    let over = false
    const reading = (async () => {
      while (!over) {
        const asked = performance.now()
        await tomas.call('GET', '/apis')
        waits.push(performance.now() - asked)
        await new Promise((resolve) => setTimeout(resolve, 50))
      }
    })()
    const now = Date.now()
    for (let seq = 0; seq < all; seq += batch) {
      const events = Array.from({ length: batch }, (_, n) => eventAt(seq + n + 1, now))
      const from = seq === 0 ? undefined : { journal: 'bench', seq }
      const gateway = { name: 'north-edge', group: 'edge' }
      await countEvents(world.services, gateway, from, {
        journal: 'bench',
        events,
        upTo: seq + batch,
      })
    }
    over = true
    await reading
    const seconds = (performance.now() - begun) / 1000
    lines.push(
      `${'A million events, counted'.padEnd(52)} ${seconds.toFixed(1).padStart(7)} s (at most 60)`,
    )
    reportWaiting('The register meanwhile', waits, 'readings', 200)
    await addHistory(world)
    const times: number[] = []
    for (let round = 0; round < 4; round++)
      for (const period of trafficPeriods)
        for (const by of trafficDimensions) {
          const asked = performance.now()
          const { status } = await tomas.call('GET', `/traffic?period=${period}&by=${by}`)
          if (status !== 200) throw new Error(`traffic answered ${status}`)
          if (round > 0) times.push(performance.now() - asked)
        }
    reportWaiting('Traffic, whatever the time and what it is told by', times, 'pages', 150)
  } finally {
    await world.close()
  }
}

/** Ninety days before, in which every operation was called on every day, and some in every hour of the last week. */
async function addHistory({ owner }: World): Promise<void> {
  const filled = (resolution: string, step: string, parts: number, series: string) =>
    owner.execute(
      sql.raw(`
      insert into traffic (resolution, at, series, calls, broken, bytes_in, bytes_out, durations, upstream)
      select '${resolution}', date_trunc('${resolution}', now(), 'UTC') - n * interval '${step}', s.series, t.calls, 0, t.bytes_in, t.bytes_out, t.durations, t.upstream
      from (${series}) s join lateral (select * from traffic t where t.series = s.series limit 1) t on true,
        generate_series(2, ${parts}) n
      on conflict do nothing`),
    )
  const others = `select id as series from traffic_series where grain <> 'operation'`
  const each = `select min(id) as series from traffic_series where grain = 'operation' group by operation`
  await filled('day', '1 day', 180, `${others} union ${each}`)
  await filled(
    'hour',
    '1 hour',
    168,
    `${others} union select * from (${each}) e where series % 10 = 0`,
  )
  await owner.execute(sql`analyze`)
}

/** In the order of time, as they come: a day in all, the last of them now. Some operations are called far more than others. */
function eventAt(seq: number, now: number): TrafficEvent {
  const drawn = ((seq * 7919) % 99_991) / 99_991
  const operation = Math.floor(operations * drawn ** 3)
  const isRefused = seq % 50 === 0
  return {
    seq,
    id: `bench-${seq}`,
    at: now - Math.floor(((all - seq) / all) * 86_400_000),
    placement: `placement-${operation % placements}`,
    version: '1.0.0',
    operation: `GET /things-${operation}/{id}`,
    host: '',
    address: '',
    client: `Client ${(operation + (seq % 3)) % clients}`,
    status: isRefused ? 429 : 200,
    step: isRefused ? 'limit' : '',
    policy: isRefused ? 'rate' : '',
    ms: 5 + ((seq * 104_729) % 400),
    upstreamMs: 4 + ((seq * 104_729) % 400),
    bytesIn: 300,
    bytesOut: 2000,
    requestType: '',
    responseType: 'application/json',
    query: [],
    members: [],
    breaks: '',
  }
}
