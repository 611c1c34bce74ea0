import type { PlacementSpec } from '../../core/runtime/placement'
import { changePlacement, readPlacement } from '../../server/services/placements'
import { workRollout } from '../../server/services/rollout-work'
import { placementEtag } from '../../shared/etags'
import { Killed, mortal } from './mortal'
import { contextOf, type World } from './world'

/**
 * Changes a placement as Tomas, by a process that dies at a statement of its rollout; another one finishes it. `between`
 * looks at what there is while the first is dead.
 */
export async function changeDying(
  world: World,
  id: string,
  changed: (spec: PlacementSpec) => PlacementSpec,
  dies: { at: number; when: 'before' | 'after' },
  between: () => Promise<void> = () => Promise.resolve(),
): Promise<{ died: boolean; refused: boolean }> {
  const context = contextOf(world, 'tomas')
  const { services, pool } = mortal(world.services, world.url, dies)
  let died = false
  context.queue = {
    ...context.queue,
    rollOut: async (rollout) => {
      await workRollout(services, rollout).catch((error: unknown) => {
        if (!(error instanceof Killed) && !pool.dead) throw error
      })
      died = pool.dead
      await between()
      for (let tries = 0; (await workRollout(world.services, rollout)) === 'waits'; tries++)
        if (tries > 20) throw new Error(`rollout ${rollout} does not end`)
    },
  }
  const { generation, spec } = await readPlacement(context, id)
  const outcome = await changePlacement(
    context,
    id,
    changed(spec),
    placementEtag({ generation }),
  ).then(
    () => ({ died, refused: false }),
    () => ({ died, refused: true }),
  )
  // Nobody waits for what a dead process holds.
  void pool.end().catch(() => undefined)
  return outcome
}
