import { keywordChange } from './keywords'
import type { Step } from './model'
import type { Edge, Pair, SchemaChange, Way } from './pairs'

/** A change with the way to it from where it was asked. */
export interface Found {
  change: SchemaChange
  path: Step[]
  edges: Edge[]
  only: Way | undefined
  mixed: boolean
  /** What it was found to do, by the way of the messages. */
  verdicts: Partial<Record<Way, Verdict>>
}

/** What a change comes to for messages of one way. `value` makes a value that shows it. */
export type Verdict =
  | { effect: 'breaking'; value: () => unknown }
  | { effect: 'risky'; undecided: string }
  | { effect: 'safe' }

/**
 * Everything loud that is reached from a pair: plain ways first, then those through choices. Of more than `most` changes
 * the nearest are told, and that there are more.
 */
export function collect(root: Pair, most: number): Found[] {
  if (!root.isLoud) return []
  const found: Found[] = []
  const seen = new Map<Pair, Way | undefined>()
  const start: Trail = {
    pair: root,
    above: undefined,
    edge: undefined,
    only: undefined,
    mixed: false,
  }
  const plain: Trail[] = [start]
  const through: Trail[] = []
  for (let i = 0, k = 0; i < plain.length || k < through.length;) {
    const trail = i < plain.length ? plain[i++]! : through[k++]!
    const { pair, only } = trail
    if (seen.has(pair) && (seen.get(pair) === undefined || seen.get(pair) === only)) continue
    seen.set(pair, only)
    if (pair.changes.length > 0) {
      const edges = edgesOf(trail)
      const path = pathOf(edges)
      for (const change of pair.changes) {
        if (found.length === most) return [...found, unsaid(root, most)]
        found.push({
          change,
          edges,
          path: change.step ? [...path, change.step] : path,
          mixed: trail.mixed,
          only: change.only ?? only,
          verdicts: {},
        })
      }
    }
    for (const edge of loudEdges(pair)) {
      const isPlain = edge.step !== undefined && !('choice' in edge.step)
      ;(isPlain ? plain : through).push({
        pair: edge.to,
        above: trail,
        edge,
        mixed: trail.mixed || edge.mixed,
        only: edge.only ?? only,
      })
    }
  }
  return found
}

function unsaid(root: Pair, most: number): Found {
  const undecided = `more than ${most} changes are in here, and not all are told`
  const change: SchemaChange = {
    ...keywordChange('changed', '', undefined, undefined, { undecided }),
    pair: root,
    before: root.before.at,
    after: root.after.at,
  }
  return { change, path: [], edges: [], only: undefined, mixed: false, verdicts: {} }
}

interface Trail {
  pair: Pair
  above: Trail | undefined
  edge: Edge | undefined
  only: Way | undefined
  mixed: boolean
}

function edgesOf(trail: Trail): Edge[] {
  const edges: Edge[] = []
  for (let here: Trail | undefined = trail; here?.edge; here = here.above) edges.push(here.edge)
  return edges.reverse()
}

function pathOf(edges: Edge[]): Step[] {
  const path: Step[] = []
  for (const { step } of edges) if (step) path.push(step)
  return path
}

/** The ways on to changes, once all pairs are looked at. */
const loudEdges = (pair: Pair): Edge[] => (pair.loud ??= pair.edges.filter(({ to }) => to.isLoud))
