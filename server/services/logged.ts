import { eq } from 'drizzle-orm'
import type { Step } from '../../core/runtime/explain'
import type { Queries } from '../db/database'
import { placements } from '../db/schema'

/** What a gateway's log tells of a request, as far as it names placements. */
export interface Explained {
  /** What took it, or keeps it from others; empty where that is nobody's. */
  placement: string
  steps: Step[]
  /** What it may have been meant for, where nothing took it. */
  nearest?: { placement: string; text: string }
}

/** Whether somebody may know of a placement; a route that is nobody's is everybody's to see. */
export const isVisible = async (db: Queries, placement: string): Promise<boolean> =>
  placement === '' || (await db.$count(placements, eq(placements.id, placement))) > 0

/** Steps as somebody may read them: what is of a placement that is not there for them is not told by its name. */
export async function stepsFor(
  db: Queries,
  { placement, steps, nearest }: Explained,
): Promise<Step[]> {
  if (!(await isVisible(db, placement)))
    return [{ name: 'match', passed: false, text: 'It is not for a placement that you may see' }]
  const last = steps.at(-1)
  if (last?.name !== 'match' || last.passed) return steps
  const text =
    nearest && (await isVisible(db, nearest.placement))
      ? nearest.text
      : 'Nothing here comes near it'
  return nearest ? [...steps.slice(0, -1), { ...last, text: `${last.text}. ${text}` }] : steps
}
