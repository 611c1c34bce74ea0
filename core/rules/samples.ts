import yaml from 'js-yaml'
import { readDefinition } from '../formats/read'
import { isObject } from '../text/values'
import { beforeFrom, type Before, type Compare } from './before'
import { check, type Reach, type RuleFault } from './engine'
import { estateOf, estatePart, type EstatePart } from './estate'
import { placementSample } from './placement-sample'
import { checkPlacement, isAboutRuntime } from './runtime'
import { circumstancesOf, type Edition, type Rule, type Sample } from './model'

/** How a rule did on one of its samples; `wrong` is undefined where it did as it should. */
export interface SampleResult {
  kind: 'passes' | 'breaks'
  number: number
  findings: { message: string; line: number; column: number }[]
  wrong?: string
}

const saysFormat = /^\uFEFF?\s*(?:<|#%RAML|\{?\s*"?(?:openapi|swagger)"?\s*:)/

/** A piece of a definition made whole: what it does not say is as little as a definition needs. */
export function completeSample({ text }: Sample): string {
  if (saysFormat.test(text)) return text
  let piece: unknown
  try {
    piece = yaml.load(text)
  } catch {
    return text
  }
  if (!isObject(piece)) return text
  const { info = { title: 'Sample', version: '1.0.0' }, paths = {} } = piece
  const missing = {
    openapi: '3.1.0',
    ...(piece['info'] === undefined && { info }),
    ...(piece['paths'] === undefined && { paths }),
  }
  // A piece in braces is no block that something could be written below.
  return text.trimStart().startsWith('{')
    ? yaml.dump({ ...piece, ...missing })
    : `${text.trimEnd()}\n${yaml.dump(missing)}`
}

const othersOf = ({ elsewhere = [] }: Sample): EstatePart[] =>
  elsewhere.flatMap((text, i) => {
    const reading = readDefinition({ file: 'elsewhere', text: completeSample({ text }) })
    return reading.readable ? [estatePart(`API ${i + 1}`, reading.contract)] : []
  })

export interface SampleTools {
  isWord?: ((word: string) => boolean) | undefined
  /** Asked for by rules about what changed ({@link asksForChanges}). */
  compare?: Compare | undefined
}

/** What a sample was in the version before. */
function beforeOf({ before }: Sample, compare: Compare | undefined): Before | undefined {
  if (before === undefined || !compare) return undefined
  const reading = readDefinition({ file: 'before', text: completeSample({ text: before }) })
  return reading.readable ? beforeFrom(reading.contract, compare) : undefined
}

/** What is wrong with how a rule did on a sample; undefined where it did as it should. */
const wrongOf = (
  kind: SampleResult['kind'],
  found: readonly { message: string }[],
  fault: RuleFault | undefined,
  reach: Reach | undefined,
): string | undefined =>
  fault?.message ??
  (reach?.asked
    ? kind === 'passes' && found.length > 0
      ? `It should pass, and is found: ${found[0]!.message}`
      : kind === 'breaks' && found.length === 0
        ? 'It should break the rule, and nothing is found'
        : undefined
    : 'The rule speaks about nothing in it')

/** How a rule about what runs did on a piece of a placement. */
function ofPlacement(
  rule: Rule,
  edition: Pick<Edition, 'domain' | 'words'>,
  kind: SampleResult['kind'],
  number: number,
  { text, facts }: Sample,
): SampleResult {
  const read = placementSample(text)
  if ('wrong' in read) return { kind, number, findings: [], wrong: read.wrong }
  const circumstances = circumstancesOf({ today: '2026-01-01', ...facts })
  const { findings, faults, reach } = checkPlacement(
    read.node,
    { ...edition, rules: [rule] },
    circumstances,
  )
  const wrong = wrongOf(kind, findings, faults[0], reach[0])
  const found = findings.map(({ message }) => ({ message, line: 1, column: 1 }))
  return { kind, number, findings: found, ...(wrong !== undefined && { wrong }) }
}

/** Runs a rule's samples: those that pass must not be found fault with, the others must. */
export function runSamples(
  rule: Rule,
  { domain, words }: Pick<Edition, 'domain' | 'words'>,
  { isWord, compare }: SampleTools = {},
): SampleResult[] {
  const run =
    (kind: SampleResult['kind']) =>
    (sample: Sample, i: number): SampleResult => {
      const number = i + 1
      if (isAboutRuntime(rule)) return ofPlacement(rule, { domain, words }, kind, number, sample)
      const reading = readDefinition({ file: 'sample', text: completeSample(sample) })
      if (!reading.readable) {
        return {
          kind,
          number,
          findings: [],
          wrong: `It cannot be read: ${reading.diagnostics[0]?.message ?? ''}`,
        }
      }
      const circumstances = circumstancesOf({ today: '2026-01-01', ...sample.facts })
      const { findings, faults, reach } = check(
        reading.documents,
        reading.contract,
        { domain, words, rules: [rule] },
        circumstances,
        {
          isWord,
          estate: estateOf(othersOf(sample), circumstances.api),
          before: beforeOf(sample, compare),
        },
      )
      const found = findings.map(({ message, line, column }) => ({ message, line, column }))
      const wrong = wrongOf(kind, found, faults[0], reach[0])
      return { kind, number, findings: found, ...(wrong !== undefined && { wrong }) }
    }
  return [...rule.samples.passes.map(run('passes')), ...rule.samples.breaks.map(run('breaks'))]
}
