import { fork } from 'node:child_process'
import { once } from 'node:events'
import type { TrafficEvent } from '../core/traffic/event'
import { openDatabase } from '../server/db/database'
import { countEvents } from '../server/services/traffic-intake'
import { rollUp } from '../server/services/traffic-rolling'
import { sql } from 'drizzle-orm'
import { trafficDimensions, trafficPeriods } from '../shared/words'
import { bringIn, definition, makeWorld, type World } from '../tests/support/world'
import { lines, reportWaiting } from './measure'

const all = 1_000_000
/** As many as are counted at once. */
const batch = 60_000
const operations = 10_000
const placements = 500
const clients = 40

/** A day of a million events is counted while people read; then ninety days are looked at in every way. */
export async function traffic(): Promise<void> {
  const { href } = new URL('/', process.env['ELM_BENCH_DATABASE'])
  process.env['ELM_TEST_DATABASE'] = href.replace(/\/$/, '')
  const world = await makeWorld({ gateways: { 'north-edge': 'edge', 'inner-one': 'inner' } })
  try {
    const tomas = await world.visitor('tomas')
    await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
    // As in the product, another process than the one that answers people.
    const counting = fork(process.argv[1]!, ['counting'], {
      // As the worker is started.
      execArgv: ['--max-semi-space-size=128'],
      env: { ...process.env, ELM_BENCH_DATABASE: world.url },
    })
    const waits: number[] = []
    let took: number | undefined
    counting.once('message', (seconds: number) => (took = seconds))
    const ended = once(counting, 'exit')
    while (took === undefined && counting.exitCode === null) {
      const asked = performance.now()
      await tomas.call('GET', '/apis')
      waits.push(performance.now() - asked)
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
    await ended
    if (took === undefined) throw new Error('The events were not counted')
    lines.push(
      `${'A million events, counted'.padEnd(52)} ${took.toFixed(1).padStart(7)} s (at most 60)`,
    )
    reportWaiting('The register meanwhile', waits, 'readings', 200)
    await addHistory(world)
    const imara = await world.visitor('imara')
    const times: number[] = []
    const overNinety: number[] = []
    for (let round = 0; round < 4; round++)
      for (const period of trafficPeriods)
        for (const by of trafficDimensions) {
          const asked = performance.now()
          const { status } = await imara.call('GET', `/traffic?period=${period}&by=${by}`)
          if (status !== 200) throw new Error(`traffic answered ${status}`)
          const took = performance.now() - asked
          if (round > 0) times.push(took)
          if (round > 0 && period === '90d') overNinety.push(took)
        }
    reportWaiting('Traffic of ninety days, whatever it is told by', overNinety, 'pages', 150)
    reportWaiting('Traffic, whatever the time as well', times, 'pages', 400)
  } finally {
    await world.close()
  }
}

/** Counts a million events of two gateways, in a process of its own, and says how many seconds that took. */
export async function counting(): Promise<void> {
  const { db, pool } = openDatabase(process.env['ELM_BENCH_DATABASE']!)
  const now = Date.now()
  const gateways = [
    { name: 'north-edge', group: 'edge' },
    { name: 'inner-one', group: 'inner' },
  ]
  const countAll = async (gateway: (typeof gateways)[number], which: number) => {
    const own = all / gateways.length
    for (let seq = 0; seq < own; seq += batch) {
      const count = Math.min(batch, own - seq)
      const events = Array.from({ length: count }, (_, n) => eventAt(seq + n + 1, own, which, now))
      const from = seq === 0 ? undefined : { journal: 'bench', seq }
      const upTo = seq + count
      const services = { db, now: () => new Date(now) }
      await countEvents(services, gateway, from, { journal: 'bench', events, upTo })
    }
  }
  const begun = performance.now()
  await Promise.all(gateways.map(countAll))
  await rollUp({ db })
  process.send!((performance.now() - begun) / 1000)
  await pool.end()
}

/** Ninety days before, in which every operation was called on every day, and a tenth of them in every hour of the last week. */
async function addHistory({ owner }: World): Promise<void> {
  const byte = (value: string) => `set_byte('\\x00'::bytea, 0, (${value})::int)`
  // A number of four bytes, as parts are written.
  const calls = ['% 128 + 128', '/ 128 % 128 + 128', '/ 16384 % 128 + 128', '/ 2097152']
    .map((digit) => byte(`t.calls ${digit}`))
    .join(' || ')
  const filled = (resolution: string, span: string, parts: number, series: string, spans: number) =>
    owner.execute(
      sql.raw(`
      insert into traffic (resolution, grain, span, series, operation, calls, line, broken, rolled, parts, whole)
      select '${resolution}', t.grain, date_trunc('${span}', now(), 'UTC') - n * interval '1 ${span}', s.series, t.operation,
        ${parts} * t.calls, (select array_agg(part * t.calls) from generate_series(1, ${parts}) part), '{}', true,
        (select string_agg(${byte('part')} || substr(t.parts, 2), '') from generate_series(0, ${parts} - 1) part),
        ${byte('0')} || ${byte(String(parts))} || decode(repeat(encode(${calls}, 'hex'), ${parts}), 'hex') || substr(t.parts, 2)
      from (${series}) s join likes t on t.series = s.series, generate_series(1, ${spans}) n
      on conflict do nothing`),
    )
  // Of each series the row that has the fewest parts, and of those one is repeated.
  await owner.execute(sql`
    create table likes as
    select distinct on (series) * from traffic order by series, (select count(*) from unnest(line) n where n > 0)`)
  const others = `select id as series from traffic_series where grain <> 'operation'`
  const each = `select min(id) as series from traffic_series where grain = 'operation' group by operation`
  await filled('day', 'month', 28, `${others} union ${each}`, 6)
  await filled(
    'hour',
    'day',
    24,
    `${others} union select * from (${each}) e where series % 10 = 0`,
    7,
  )
  await owner.execute(sql`
    insert into operation_calls (resolution, span, operation, gateway, calls)
    select resolution, span, operation, 'history', sum(calls) from traffic t
    where grain = 'operation' and resolution <> 'minute' and not exists (
      select 1 from operation_calls c where c.resolution = t.resolution and c.span = t.span and c.operation = t.operation)
    group by resolution, span, operation`)
  await owner.execute(sql`analyze`)
}

/**
 * In the order of time, as they come: a day in all, the last of them now. Some operations are called far more than others;
 * each gateway has half of the placements.
 */
function eventAt(seq: number, own: number, which: number, now: number): TrafficEvent {
  const drawn = ((seq * 7919) % 99_991) / 99_991
  const operation = 2 * Math.floor((operations / 2) * drawn ** 3) + which
  const isRefused = seq % 50 === 0
  return {
    seq,
    id: `bench-${seq}`,
    at: now - Math.floor(((own - seq) / own) * 86_400_000),
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
