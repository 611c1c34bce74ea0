import { sarifLog } from '../report/sarif'
import type { Documents } from '../text/documents'
import {
  effects,
  type Change,
  type ChangeKind,
  type Direction,
  type Effect,
  type Part,
  type Witness,
} from './model'
import type { FittingVersion } from './version'
import { waysOut } from './ways'
import { happeningOf, subjectOf, undecidedWords } from './words'

/** Where something is written, from 1; null where it is in neither text. */
export interface Placed {
  file: string
  line: number
  column: number
}

/** A change as programs read it: the members of `elm-ledger compare --format json`. */
export interface ReportedChange {
  effect: Effect
  direction: Direction
  operation: string
  subject: string
  message: string
  before: Placed | null
  after: Placed | null
  witness: Witness | null
}

/** A change with everything that a screen says of it; its message says what happened alone. */
export interface DetailedChange extends ReportedChange {
  /** What the operation was called before; empty where there was none. */
  formerly: string
  kind: ChangeKind
  part: Part
  /** Why nothing surer can be said; empty where it is sure. */
  undecided: string
  /** What could be done instead. */
  ways: string[]
}

/** What breaks comes first, as programs read it. */
export const reported = (changes: readonly Reportable[]): ReportedChange[] =>
  [...changes]
    .sort((a, b) => effects.indexOf(a.effect) - effects.indexOf(b.effect))
    .map((change) => ({
      effect: change.effect,
      direction: change.direction,
      operation: change.operation,
      subject: change.subject,
      message: `${change.message}${undecidedWords(change.undecided)}`,
      before: change.before,
      after: change.after,
      witness: change.witness,
    }))

type Reportable = ReportedChange & Pick<DetailedChange, 'undecided'>

/** Changes with their places in both texts, in the order they were found in. */
export function detailed(changes: Change[], before: Documents, after: Documents): DetailedChange[] {
  const old = before.locate(changes.flatMap((change) => change.before ?? []))
  const now = after.locate(changes.flatMap((change) => change.after ?? []))
  const placed = (found: (Placed & object) | undefined): Placed | null =>
    found ? { file: found.file, line: found.line, column: found.column } : null
  const former = formerNames(changes)
  return changes.map((change) => ({
    formerly: former.get(change.operation) ?? change.operation,
    effect: change.effect,
    direction: change.direction,
    operation: change.operation,
    subject: subjectOf(change),
    message: happeningOf(change),
    before: placed(change.before === undefined ? undefined : old.get(change.before)),
    after: placed(change.after === undefined ? undefined : now.get(change.after)),
    witness: change.witness?.() ?? null,
    kind: change.kind,
    part: change.part,
    undecided: change.undecided ?? '',
    ways: waysOut(change),
  }))
}

/** What operations were called that had another name before, or were not there. */
const formerNames = (changes: Change[]): Map<string, string> =>
  new Map(
    changes.flatMap(({ part, kind, operation, was }) =>
      part !== 'operation' || (kind !== 'moved' && kind !== 'added')
        ? []
        : [[operation, kind === 'moved' ? String(was) : '']],
    ),
  )

/** What worked and does not any more comes before what does, operation by operation; what is in none comes last. */
export function byOperation(changes: DetailedChange[]): DetailedChange[] {
  const groups = new Map<string, DetailedChange[]>()
  for (const change of changes) {
    const group = groups.get(change.operation)
    if (group) group.push(change)
    else groups.set(change.operation, [change])
  }
  const rank = ({ effect }: DetailedChange) => effects.indexOf(effect)
  const worst = ([operation, list]: [string, DetailedChange[]]) =>
    operation === '' ? effects.length : list.reduce((least, one) => Math.min(least, rank(one)), 9)
  return [...groups]
    .sort((a, b) => worst(a) - worst(b))
    .flatMap(([, list]) => [...list].sort((a, b) => rank(a) - rank(b)))
}

export const comparisonFormats = ['text', 'json', 'markdown', 'sarif', 'junit'] as const
export type ComparisonFormat = (typeof comparisonFormats)[number]

export interface ComparisonFrame {
  /** What is compared: the names of both files. */
  before: string
  after: string
  /** The version number that would fit, where there is one to say. */
  fits?: FittingVersion
  /** Of the program. */
  version: string
}

/** A comparison as somebody can use it. */
export function writeComparison(
  format: ComparisonFormat,
  changes: ReportedChange[],
  frame: ComparisonFrame,
): string {
  switch (format) {
    case 'json':
      return `${JSON.stringify(changes, null, 2)}\n`
    case 'text':
      return asText(changes, frame)
    case 'markdown':
      return asMarkdown(changes, frame)
    case 'sarif':
      return asSarif(changes, frame)
    case 'junit':
      return asJunit(changes, frame)
  }
}

const placeOf = ({ before, after }: ReportedChange) => after ?? before
const at = (change: ReportedChange) => {
  const place = placeOf(change)
  return place ? `${place.file}:${place.line}:${place.column}` : ''
}

function counts(changes: ReportedChange[]): string {
  return effects
    .map((effect) => `${changes.filter((change) => change.effect === effect).length} ${effect}`)
    .join(', ')
}

function asText(changes: ReportedChange[], { fits }: ComparisonFrame): string {
  const lines = changes.map(
    (change) => `${at(change)} ${change.effect}: ${change.subject}: ${change.message}`,
  )
  const version = fits && !fits.isEnough ? `, and the version should be ${fits.fits}` : ''
  return [...lines, `${counts(changes)}${version}`, ''].join('\n')
}

const code = (text: string) => `\`${text.replaceAll('`', "'")}\``
/** Words that Markdown takes for more are written as they are. */
const plain = (text: string) => text.replace(/[\\`*_[\]<>|#]/g, String.raw`\$&`)

/** A changelog: what breaks, what may, and what is new, by what each is about. */
function asMarkdown(changes: ReportedChange[], { before, after, fits }: ComparisonFrame): string {
  const titles: Record<Effect, string> = {
    breaking: 'Breaking',
    risky: 'May break',
    safe: 'Safe',
  }
  const parts = effects.flatMap((effect) => {
    const own = changes.filter((change) => change.effect === effect)
    if (own.length === 0) return []
    const subjects = [...new Set(own.map(({ subject }) => subject))]
    return [
      `## ${titles[effect]}`,
      '',
      ...subjects.flatMap((subject) => [
        `### ${code(subject)}`,
        '',
        ...own
          .filter((change) => change.subject === subject)
          .flatMap(({ message, witness }) => [
            `- ${plain(message)}`,
            ...(witness
              ? [
                  '',
                  '  ```json',
                  ...JSON.stringify(witness, null, 2)
                    .split('\n')
                    .map((line) => `  ${line}`),
                  '  ```',
                  '',
                ]
              : []),
          ]),
        '',
      ]),
    ]
  })
  const version = fits ? [`The version number that fits is ${fits.fits}.`, ''] : []
  return [
    `# From ${plain(before)} to ${plain(after)}`,
    '',
    ...version,
    ...(parts.length > 0 ? parts : ['Nothing changed.', '']),
  ].join('\n')
}

function asSarif(changes: ReportedChange[], { version }: ComparisonFrame): string {
  const levels = { breaking: 'error', risky: 'warning', safe: 'note' } as const
  return sarifLog(
    version,
    effects.map((id) => ({ id, defaultConfiguration: { level: levels[id] } })),
    changes.map((change) => ({
      ruleId: change.effect,
      level: levels[change.effect],
      text: `${change.subject}: ${change.message}`,
      place: placeOf(change),
      ...(change.witness && { properties: { witness: change.witness } }),
    })),
  )
}

const xml = (text: string) =>
  text
    .replace(/[\u0000-\u0008\u000B\u000C\u000E-\u001F\uFFFE\uFFFF]/g, '')
    .replace(/[&<>"\n]/g, (c) => `&#${c.charCodeAt(0)};`)

/** A test for each change; one that breaks fails. */
function asJunit(changes: ReportedChange[], { before, after }: ComparisonFrame): string {
  const cases = changes.map((change) => {
    const head = `  <testcase name="${xml(change.message)}" classname="${xml(change.subject)}" time="0"`
    if (change.effect !== 'breaking') return `${head}/>\n`
    return `${head}>\n   <failure message="${xml(change.message)}" type="${change.effect}">${xml(at(change))}</failure>\n  </testcase>\n`
  })
  const failures = changes.filter(({ effect }) => effect === 'breaking').length
  return `<?xml version="1.0" encoding="UTF-8"?>\n<testsuites>\n <testsuite name="${xml(`${before} to ${after}`)}" tests="${changes.length}" failures="${failures}" errors="0" time="0">\n${cases.join('')} </testsuite>\n</testsuites>\n`
}
