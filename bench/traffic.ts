import type { TrafficEvent } from '../core/traffic/event'
import { countEvents } from '../server/services/traffic-intake'
import { trafficDimensions, trafficPeriods } from '../shared/words'
import { bringIn, definition, makeWorld } from '../tests/support/world'
import { lines, reportWaiting } from './measure'

const all = 1_000_000
const batch = 5000
const operations = 10_000
const placements = 500
const clients = 40
const days = 90

/** A million events are counted while people read, and then traffic is looked at in every way. */
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

/** In the order of time, as they come: so many days in all, the last of them now. */
function eventAt(seq: number, now: number): TrafficEvent {
  const operation = (seq * 7919) % operations
  const isRefused = seq % 50 === 0
  return {
    seq,
    id: '',
    at: now - Math.floor(((all - seq) / all) * days * 86_400_000),
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
