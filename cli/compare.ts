import { Option, type Command } from 'commander'
import {
  comparisonFormats,
  detailed,
  reported,
  writeComparison,
  type ComparisonFormat,
} from '../core/compare/report'
import { fittingVersion } from '../core/compare/version'
import { isFile, WrongUse } from './files'
import { open, type Opened } from './open'
import { version } from './version'

interface Options {
  format: ComparisonFormat
  failOn?: 'breaking' | 'risky'
}

/** Reads one of both definitions; what stops it goes to standard error. */
function opened(file: string): Opened['reading'] {
  if (!isFile(file)) throw new WrongUse(`There is no file "${file}".`)
  const { diagnostics, reading } = open({ source: { file, named: true } })!
  for (const { severity, message, file: where, line, column } of diagnostics)
    if (severity === 'error') console.error(`${where}:${line}:${column} ${severity}: ${message}`)
  return reading
}

async function runCompare(
  before: string,
  after: string,
  { format, failOn }: Options,
): Promise<void> {
  const [old, now] = [opened(before), opened(after)]
  if (!old || !now) {
    process.exitCode = 3
    return
  }
  const { compareContracts } = await import('../core/compare/contracts')
  const found = compareContracts(old.contract, now.contract)
  const changes = reported(detailed(found, old.documents, now.documents))
  const fits = fittingVersion(old.contract.version, now.contract.version, found)
  process.stdout.write(
    writeComparison(format, changes, { before, after, version, ...(fits && { fits }) }),
  )
  const counted =
    failOn === 'risky' ? ['breaking', 'risky'] : failOn === undefined ? [] : ['breaking']
  if (changes.some(({ effect }) => counted.includes(effect))) process.exitCode = 1
}

/** Adds `compare` to the command line. */
export function addCompare(program: Command): void {
  program
    .command('compare')
    .description(
      'Say what changed between two definitions of any formats, and what it breaks for callers',
    )
    .argument('<old>', 'the older definition')
    .argument('<new>', 'the newer definition')
    .addOption(
      new Option('--format <format>', 'what to print').choices(comparisonFormats).default('text'),
    )
    .addOption(
      new Option('--fail-on <effect>', 'exit with 1 where something is at or above it').choices([
        'breaking',
        'risky',
      ]),
    )
    .addHelpText(
      'after',
      '\nExit status: 0 compared, 1 something at or above --fail-on, 2 wrong use, 3 not readable.',
    )
    .action(runCompare)
}
