import { bringIn, definition, makeWorld } from '../tests/support/world'
import { lines } from './measure'

const slowMs = 8000
const asked = 200

/** How the product answers while a gateway takes eight seconds for every call of a rollout. */
export async function rollouts(): Promise<void> {
  process.env['ELM_TEST_DATABASE'] = new URL('/', process.env['ELM_BENCH_DATABASE']).href.replace(
    /\/$/,
    '',
  )
  const world = await makeWorld({ gateways: { 'north-edge': 'edge' }, meddled: true })
  try {
    const tomas = await world.visitor('tomas')
    const imara = await world.visitor('imara')
    await bringIn(tomas, definition('supply-interruptions/2.4.0.yaml'))
    const draft = (
      await tomas.call<{ spec: { routes: object[] } }>(
        'GET',
        '/apis/supply-interruptions/placement-draft',
      )
    ).body
    const routes = draft.spec.routes.map((row) => ({ ...row, treatment: { kind: 'mock' } }))
    const place = () =>
      tomas.call<{ detail?: string }>('POST', '/placements', {
        api: 'supply-interruptions',
        version: '2.4.0',
        group: 'edge',
        spec: { ...draft.spec, routes },
      })
    world.sites[0]!.meddler.delayMs = slowMs
    const slow = place()
    const times: number[] = []
    for (let n = 0; n < asked; n++) {
      const begun = performance.now()
      const answer =
        n % 4 === 0
          ? await imara.call('PATCH', '/apis/supply-interruptions', { labels: [`round ${n}`] })
          : await tomas.call('GET', ['/apis', '/placements', '/ledger?limit=50'][n % 3]!)
      if (answer.status !== 200) throw new Error(`answered ${answer.status}`)
      times.push(performance.now() - begun)
    }
    times.sort((a, b) => a - b)
    const at = (share: number) => times[Math.floor(times.length * share)]!.toFixed(0)
    const { status } = await slow
    lines.push(
      `${`Reading and writing while a gateway takes ${slowMs / 1000} s`.padEnd(52)} median ${at(0.5)} ms, p95 ${at(0.95)} ms (200); the rollout answered ${status}`,
    )
    world.sites[0]!.meddler.delayMs = 0
  } finally {
    await world.close()
  }
}
