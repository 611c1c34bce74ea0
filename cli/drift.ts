import { Option, type Command } from 'commander'
import type { FileComparison, FileDifference } from '../core/drift/files'
import { ConfigurationError } from '../core/runtime/config-values'
import { sarifLog } from '../core/report/sarif'
import { count } from '../core/text/counted'
import { documentsOf } from './documents'
import { WrongUse } from './files'
import { version } from './version'

const formats = ['text', 'json', 'sarif'] as const

interface Options {
  intent: string
  running: string[]
  format: (typeof formats)[number]
}

async function runDrift({ intent, running, format }: Options): Promise<void> {
  if (intent === '-' && running.includes('-'))
    throw new WrongUse('Standard input can be one of both: name a file for the other.')
  const [meant, found] = [documentsOf([intent]), documentsOf(running)]
  const { compareFiles } = await import('../core/drift/files')
  let compared: FileComparison
  try {
    compared = compareFiles(meant, found)
  } catch (error) {
    if (!(error instanceof ConfigurationError)) throw error
    console.error(error.message)
    process.exitCode = 3
    return
  }
  for (const said of compared.passedOver) console.error(`not understood: ${said}`)
  process.stdout.write(written(compared.differences, format, running))
  process.exitCode = compared.differences.length > 0 ? 1 : 0
}

function written(
  differences: FileDifference[],
  format: Options['format'],
  [file = '']: string[],
): string {
  if (format === 'json') return `${JSON.stringify(differences, null, 2)}\n`
  if (format === 'sarif')
    return sarifLog(
      version,
      [{ id: 'drift', shortDescription: { text: 'What runs is what was approved' } }],
      differences.map((difference) => ({
        ruleId: 'drift',
        level: 'error' as const,
        text: `${sentence(difference)}. ${difference.cause}.`,
        place: { file },
      })),
    )
  return [
    ...differences.map(
      (difference) => `≠ ${sentence(difference)}\n    ${difference.cause.toLowerCase()}`,
    ),
    differences.length === 0 ? '= nothing differs' : count(differences.length, 'difference'),
    '',
  ].join('\n')
}

const sentence = ({ where, what, intended, running }: FileDifference) =>
  `${where}: ${what} is ${running}, and is meant to be ${intended}`

/** Adds `drift` to the command line. */
export function addDrift(program: Command): void {
  program
    .command('drift')
    .description('Say what runs otherwise than it is meant to, from files of Gateway API alone')
    .requiredOption('--intent <file>', 'what is meant to run; - for standard input')
    .requiredOption('--running <file...>', 'what runs, as a cluster or gateway prints it')
    .addOption(new Option('--format <format>', 'what to print').choices(formats).default('text'))
    .addHelpText(
      'after',
      '\nExit status: 0 nothing differs, 1 something does, 2 wrong use, 3 not readable.',
    )
    .action(runDrift)
}
