import { makeWorld } from '../tests/support/world'
import { copies } from './copies'
import { lines } from './measure'

const many = 1000

/** How long it takes to say what applying the files of many APIs would change, where nothing does. */
export async function plans(): Promise<void> {
  process.env['ELM_TEST_DATABASE'] = new URL('/', process.env['ELM_BENCH_DATABASE']).href.replace(
    /\/$/,
    '',
  )
  const world = await makeWorld()
  try {
    const tomas = await world.visitor('tomas')
    await copies(world, many)
    const { items } = await tomas.api.listResources({})
    const resources = items.map(({ kind, name, spec }) => ({ kind, name, spec }))
    const plan = async () => {
      const begun = performance.now()
      const { unchanged } = await tomas.api.checkResources({}, { resources })
      if (unchanged !== resources.length) throw new Error('Something would change')
      return performance.now() - begun
    }
    await plan()
    const took = await plan()
    lines.push(
      `${`A plan of ${many} APIs with their placements`.padEnd(52)} ${(took / 1000).toFixed(2).padStart(7)} s, aim 5`,
    )
  } finally {
    await world.close()
  }
}
