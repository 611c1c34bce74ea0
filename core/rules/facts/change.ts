import { differenceInCalendarDays, isValid, parseISO } from 'date-fns'
import type { Change } from '../../compare/model'
import { riseBetween } from '../../compare/version'
import { happeningOf } from '../../compare/words'
import { Fact, number, shape, text, truth, type World } from './fact'

export const changeShape = shape<Change>(
  'change',
  'What changed since the version before, where there is one.',
  {
    effect: text('breaking, risky or safe.', ({ effect }) => effect),
    direction: text('request, response, both or none.', ({ direction }) => direction),
    kind: text('added, removed, changed, renamed or moved.', ({ kind }) => kind),
    gone: truth(
      'Whether the part itself is gone, and not only a member of it.',
      ({ kind, keyword }) => kind === 'removed' && (keyword === '' || keyword === 'property'),
    ),
    part: text(
      'What it is a change of: operation, parameter, value, credentials, server, schema …',
      ({ part }) => part,
    ),
    name: text('What that is called.', ({ name }) => name),
    operation: text('The operation; empty where it is in none.', ({ operation }) => operation),
    keyword: text('The member or keyword that changed.', ({ keyword }) => keyword),
    says: text('The change in words.', (change) => happeningOf(change)),
    versionBefore: text('The version before.', (_change, { world }) => world.before?.version ?? ''),
    rise: text(
      'How far the version number rose: major, minor, patch or none; empty where it is no number.',
      (_change, { world: { before, contract } }) =>
        riseBetween(before?.version ?? '', contract.version) ?? '',
    ),
    wasDeprecated: truth(
      'Whether the operation or parameter that is gone was deprecated before.',
      ({ was }) => was === 'deprecated',
    ),
    daysDeprecated: number(
      'For how many days its operation is deprecated, as far as the register knows; 0 where it is not.',
      ({ operation }, { world: { before, circumstances } }) => {
        const since = parseISO(before?.deprecatedSince[operation] ?? '')
        return isValid(since) ? differenceInCalendarDays(parseISO(circumstances.today), since) : 0
      },
    ),
  },
)

/** What changed since the version before; what is gone stands nowhere, and is said of the whole. */
export const changeFacts = (world: World): Fact<Change>[] =>
  world.changes().map((change) => {
    const { operation, part, name, path, keyword, kind } = change
    const own = [operation, part, name, JSON.stringify(path), keyword, kind].join(' ')
    return new Fact(changeShape, change, change.after ?? '', world, own)
  })
