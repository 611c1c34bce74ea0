import type { Documents } from '../text/documents'
import { effects, type Change, type Direction, type Effect, type Witness } from './model'
import { messageOf, subjectOf } from './words'

/** Where something is written, from 1; null where it is in neither text. */
export interface Placed {
  file: string
  line: number
  column: number
}

/** A change as programs read it. */
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

/** Changes with their places in both texts, what breaks first. */
export function reported(changes: Change[], before: Documents, after: Documents): ReportedChange[] {
  const old = before.locate(changes.flatMap((change) => change.before ?? []))
  const now = after.locate(changes.flatMap((change) => change.after ?? []))
  const placed = (found: (Placed & object) | undefined): Placed | null =>
    found ? { file: found.file, line: found.line, column: found.column } : null
  return [...changes]
    .sort((a, b) => effects.indexOf(a.effect) - effects.indexOf(b.effect))
    .map((change) => ({
      effect: change.effect,
      direction: change.direction,
      operation: change.operation,
      subject: subjectOf(change),
      message: messageOf(change),
      before: placed(change.before === undefined ? undefined : old.get(change.before)),
      after: placed(change.after === undefined ? undefined : now.get(change.after)),
      witness: change.witness?.() ?? null,
    }))
}

export const comparisonFormats = ['text', 'json', 'markdown', 'sarif', 'junit'] as const
export type ComparisonFormat = (typeof comparisonFormats)[number]

export interface ComparisonFrame {
  /** What is compared: the names of both files. */
  before: string
  after: string
  /** The version number that would fit, where there is one to say. */
  fits?: { fits: string; isEnough: boolean }
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
  const levels: Record<Effect, string> = { breaking: 'error', risky: 'warning', safe: 'note' }
  const results = changes.map((change) => {
    const place = placeOf(change)
    return {
      ruleId: change.effect,
      level: levels[change.effect],
      message: { text: `${change.subject}: ${change.message}` },
      ...(place && {
        locations: [
          {
            physicalLocation: {
              artifactLocation: {
                uri: encodeURI(place.file.replaceAll('\\', '/')).replace(
                  /[?#]/g,
                  encodeURIComponent,
                ),
              },
              region: { startLine: place.line, startColumn: place.column },
            },
          },
        ],
      }),
      ...(change.witness && { properties: { witness: change.witness } }),
    }
  })
  const rules = effects.map((id) => ({ id, defaultConfiguration: { level: levels[id] } }))
  const driver = { name: 'Elm Ledger', version, rules }
  const $schema = 'https://json.schemastore.org/sarif-2.1.0.json'
  return `${JSON.stringify({ $schema, version: '2.1.0', runs: [{ tool: { driver }, columnKind: 'utf16CodeUnits', results }] }, null, 1)}\n`
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
