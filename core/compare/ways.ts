import type { Change } from './model'

interface Way {
  fits: (change: Change) => boolean
  says: (change: Change) => string
}

const lastStep = ({ path }: Change) => {
  const step = path.at(-1)
  return step && 'property' in step ? step.property : undefined
}
const named = (change: Change) => lastStep(change) ?? change.name.split(' ').at(-1) ?? ''
const takes = ({ direction }: Change) => direction === 'request'
const keywordIn = (...keywords: string[]) => {
  const known = new Set(keywords)
  return ({ keyword }: Change) => known.has(keyword)
}
const isPart = (part: Change['part'], kind?: Change['kind']) => (change: Change) =>
  change.part === part && (kind === undefined || change.kind === kind)

/** What can be done instead of a change that hurts callers; the first ones are the lightest. */
const ways: Way[] = [
  {
    fits: (change) =>
      takes(change) &&
      change.kind !== 'removed' &&
      (change.keyword === 'required' || (change.keyword === '' && change.is === true)),
    says: (change) => `Give ${named(change)} a default instead of requiring it`,
  },
  {
    fits: (change) => change.part === 'operation' && change.kind === 'removed',
    says: ({ was }) =>
      was === 'deprecated'
        ? 'Serve it until the date that was announced'
        : 'Mark it as deprecated first, with the date from which it is gone',
  },
  {
    fits: isPart('operation', 'moved'),
    says: ({ was }) => `Answer ${String(was)} too, or redirect it (308)`,
  },
  {
    fits: (change) => change.kind === 'renamed' && change.part === 'value',
    says: (change) =>
      takes(change)
        ? `Take ${String(change.was)} as well for as long as it is sent`
        : `Give ${String(change.was)} beside ${String(change.is)}`,
  },
  {
    fits: (change) => change.part === 'parameter' && ['renamed', 'moved'].includes(change.kind),
    says: ({ was }) => `Take ${String(was)} as well for as long as it is sent`,
  },
  {
    fits: keywordIn('type', 'format', 'items'),
    says: (change) =>
      takes(change)
        ? `Take both kinds of ${named(change) || 'value'}`
        : `Leave ${named(change) || 'the value'} as it was, and give the other kind under a new name`,
  },
  {
    fits: (change) => takes(change) && keywordIn('enum', 'const')(change),
    says: () => 'Go on taking the value, and treat it as the one that replaces it',
  },
  {
    fits: (change) => !takes(change) && keywordIn('enum', 'const', 'anyOf', 'oneOf')(change),
    says: () => 'Give the new value only to those who ask for it, by a parameter or a new version',
  },
  {
    fits: (change) =>
      takes(change) &&
      keywordIn('minimum', 'maximum', 'exclusiveMinimum', 'exclusiveMaximum', 'minLength')(change),
    says: () => 'Take what was taken, and report the values that are to be refused later',
  },
  {
    fits: (change) => takes(change) && keywordIn('maxLength', 'maxItems', 'pattern')(change),
    says: () => 'Take what was taken, and change it to the new form on arrival',
  },
  {
    fits: (change) => change.part === 'value' && change.keyword === 'property',
    says: (change) => `Keep ${named(change)}, marked as deprecated`,
  },
  {
    fits: (change) => !takes(change) && change.keyword === 'required',
    says: (change) => `Go on giving ${named(change)} always`,
  },
  {
    fits: isPart('credentials'),
    says: () => 'Grant the new scope to the clients of before, or accept both for a time',
  },
  {
    fits: isPart('media type', 'removed'),
    says: ({ name }) => `Keep ${name} for those who ask for it (Accept)`,
  },
  {
    fits: isPart('server', 'removed'),
    says: ({ name }) => `Let ${name} answer until it is unused`,
  },
  {
    fits: isPart('SOAP binding'),
    says: () => 'Offer a second port with the new binding, and keep the old one',
  },
]

/** What can be done instead; nothing for a change that is safe. */
export function waysOut(change: Change): string[] {
  if (change.effect === 'safe') return []
  return ways.filter(({ fits }) => fits(change)).map(({ says }) => says(change))
}
