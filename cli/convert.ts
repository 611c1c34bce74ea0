import { readFileSync, statSync, writeFileSync } from 'node:fs'
import { InvalidArgumentError, Option, type Command } from 'commander'
import {
  bundle,
  ConversionFault,
  conversionTargets,
  convert,
  placeLosses,
  type Conversion,
  type ConversionTarget,
  type Shape,
} from '../core/formats/convert'
import { readDefinition } from '../core/formats/read'
import { decodeText } from '../core/text/read'
import { besideOf, WrongUse } from './files'

interface Options {
  to?: ConversionTarget
  bundle?: boolean
  dereference?: boolean
  output?: string
}

function runConvert(file: string, { to, bundle: bundled, dereference, output }: Options): void {
  if (to === undefined && !bundled && !dereference) {
    throw new WrongUse('Say what to write: --to a format, --bundle or --dereference.')
  }
  if (!statSync(file, { throwIfNoEntry: false })?.isFile())
    throw new WrongUse(`There is no file "${file}".`)
  const decoded = decodeText(readFileSync(file), file)
  const reading =
    'text' in decoded
      ? readDefinition({ file, text: decoded.text }, besideOf({ file, named: true }))
      : undefined
  const diagnostics = reading?.diagnostics ?? ('problem' in decoded ? [decoded.problem] : [])
  for (const { severity, message, file: where, line, column } of diagnostics) {
    if (severity === 'error') console.error(`${where}:${line}:${column} ${severity}: ${message}`)
  }
  if (!reading?.readable) {
    process.exitCode = 1
    return
  }
  const { contract, documents } = reading
  const shape: Shape = dereference ? 'dereference' : 'bundle'
  const syntax = output?.endsWith('.json') ? 'json' : 'yaml'
  let conversion: Conversion
  try {
    conversion =
      to === undefined && !dereference
        ? bundle(contract, documents)
        : convert(contract, to ?? 'openapi-3.1', shape, syntax)
  } catch (error) {
    if (!(error instanceof ConversionFault)) throw error
    console.error(error.message)
    process.exitCode = 1
    return
  }
  for (const loss of placeLosses(documents, conversion.losses)) {
    console.error(`${loss.file}:${loss.line}:${loss.column} not carried over: ${loss.message}`)
  }
  if (output === undefined) process.stdout.write(conversion.text)
  else writeFileSync(output, conversion.text)
}

/** Adds `convert` to the command line. */
export function addConvert(program: Command): void {
  program
    .command('convert')
    .description(
      'Write a definition in another format, as one document; what is lost is listed with its place',
    )
    .argument('<file>', 'the definition', (value: string) => {
      if (value === '') throw new InvalidArgumentError('Name a file.')
      return value
    })
    .addOption(new Option('--to <format>', 'the format to write').choices(conversionTargets))
    .addOption(
      new Option(
        '--bundle',
        'keep shared parts by reference (the way it is done unless said)',
      ).conflicts('dereference'),
    )
    .option('--dereference', 'write every reference out, but for those that never end')
    .option('-o, --output <file>', 'where to write; JSON where it ends in .json')
    .addHelpText('after', '\nExit status: 0 written, 1 not readable, 2 wrong use.')
    .action(runConvert)
}
