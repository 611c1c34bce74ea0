import { compileCondition, type Scope } from '../rules/cel'
import { ConditionError, newMeter } from '../rules/meter'
import { list, object, text, type ValueOf } from '../runtime/fields'

/** What a condition may ask of a promotion. */
export interface Asked {
  api: string
  team: string
  audience: string
  labels: readonly string[]
  version: string
  from: string
  to: string
  requester: string
  /** The versions that it takes the place of, and what changed since them. */
  replaces: readonly string[]
  breaking: number
  risky: number
  safe: number
  /** Findings of the revision. */
  must: number
  should: number
}

/** The names of conditions, what each stands for, and what it says. */
const names: { [N in keyof Asked]: { type: Scope[string]; says: string } } = {
  api: { type: 'text', says: 'the API' },
  team: { type: 'text', says: 'its team' },
  audience: { type: 'text', says: 'whom it is for' },
  labels: { type: { list: 'text' }, says: 'its labels' },
  version: { type: 'text', says: 'the version' },
  from: { type: 'text', says: 'the stage it stands in' },
  to: { type: 'text', says: 'the stage it enters' },
  requester: { type: 'text', says: 'who asked' },
  replaces: { type: { list: 'text' }, says: 'the versions it takes the place of' },
  breaking: { type: 'number', says: 'breaking changes since them' },
  risky: { type: 'number', says: 'risky changes since them' },
  safe: { type: 'number', says: 'safe changes since them' },
  must: { type: 'number', says: 'findings at MUST' },
  should: { type: 'number', says: 'findings at SHOULD' },
}
const scope: Scope = Object.fromEntries(
  Object.entries(names).map(([name, { type }]) => [name, type]),
)

/** The names that a condition may use, with what they say. */
export const conditionNames: readonly { name: string; says: string }[] = Object.entries(names).map(
  ([name, { says }]) => ({ name, says }),
)

const mostKept = 200
const kept = new Map<string, ReturnType<typeof compileCondition>>()

/** A condition that runs; throws {@link ConditionError} where it is none. */
function compiled(expression: string): ReturnType<typeof compileCondition> {
  const known = kept.get(expression)
  if (known) return known
  const run = compileCondition(expression, scope)
  if (kept.size >= mostKept) kept.clear()
  kept.set(expression, run)
  return run
}

function whyNone(expression: string): string | undefined {
  try {
    compiled(expression)
    return undefined
  } catch (error) {
    if (!(error instanceof ConditionError)) throw error
    return `is no condition. ${error.message}`
  }
}

export const conditionConfig = object(
  { label: 'Condition', says: 'What has to be true of a promotion.' },
  {
    all: list(
      object(
        { label: 'Condition', says: 'One that has to hold.' },
        {
          cel: text({
            ...{ label: 'Expression', max: 1000, why: whyNone },
            says: 'An expression (CEL) that answers yes or no.',
            example: 'breaking == 0 || "agreed" in labels',
          }),
          says: text({
            label: 'Says',
            says: 'What it asks, for those it concerns.',
            example: 'Breaks nothing, or it was agreed on',
          }),
        },
      ),
      { label: 'Conditions', says: 'All of them have to hold.', min: 1, max: 20 },
    ),
  },
)

/** What of a promotion is not as its conditions ask, in words. */
export function notHeld(
  { all }: ValueOf<typeof conditionConfig>,
  asked: Asked,
): { says: string; why?: string }[] {
  const values = Object.keys(names).map((name) => asked[name as keyof Asked])
  return all.flatMap(({ cel, says }) => {
    try {
      return compiled(cel)([...values], newMeter()) ? [] : [{ says }]
    } catch (error) {
      if (!(error instanceof ConditionError)) throw error
      return [{ says, why: error.message }]
    }
  })
}
