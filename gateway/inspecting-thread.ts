import { Bounded } from './bounded'
import { inspections, type Model } from './inspections'
import type { Done, Task } from './inspector'

/** So many models a thread keeps. */
const known = new Bounded<Model>(64)

/** The work of one thread: looks into one message. */
export default function inspect({ kind, model, described, input, steps }: Task): Done {
  if (described) known.set(String(model), described)
  const held = described ?? known.get(String(model))
  if (model !== 0 && !held) return 'unknown model'
  const act = inspections[kind] as (model: unknown, input: unknown, steps: number) => unknown
  return { found: act(held, input, steps) }
}
