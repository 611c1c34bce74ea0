#!/usr/bin/env node
import { Command, CommanderError } from 'commander'
import { JsonList } from '../core/report/list'
import { addCompare } from './compare'
import { addConvert } from './convert'
import { addDrift } from './drift'
import { tasksFor, WrongUse } from './files'
import { describe, type Inspection } from './inspect'
import { addLint } from './lint'
import { addPromotions } from './promotions'
import { addResources } from './resources'
import { addRules } from './rules'
import { addSnapshot } from './snapshot'
import type { SourceTask } from './open'
import { writeAll } from './output'
import { runAll } from './threads'
import { addVerify } from './verify'
import { version } from './version'

async function runInspect(paths: string[], { json }: { json?: boolean }): Promise<void> {
  const list = new JsonList()
  let [isEmpty, isReadable] = [true, true]

  async function* pieces(): AsyncGenerator<string> {
    if (json) yield list.begin()
    for await (const inspection of runAll<Inspection, SourceTask>(tasksFor(paths), (task) => ({
      do: 'inspect',
      task,
    }))) {
      isEmpty = false
      if (inspection.problems.some(({ level }) => level === 'error')) isReadable = false
      yield json ? list.add([inspection]) : `${describe(inspection)}\n`
    }
    if (json) yield `${list.end()}\n`
  }
  await writeAll(pieces(), undefined)
  if (isEmpty && !json) console.error('No definition was found there.')
  process.exitCode = isReadable ? 0 : 1
}

const program = new Command('elm-ledger')
  .description('Reads, converts and checks API definitions: OpenAPI, Swagger, RAML, WSDL and WADL.')
  .version(version)
  .exitOverride()

program
  .command('inspect')
  .description('Say what definitions hold: format, version, counts, problems with their places')
  .argument('<path...>', 'files, folders, or ZIP and TAR archives')
  .option('--json', 'print a JSON array instead of lines')
  .addHelpText('after', '\nExit status: 0 all readable, 1 some have errors, 2 wrong use.')
  .action(runInspect)
addCompare(program)
addConvert(program)
addDrift(program)
addLint(program)
addPromotions(program)
addResources(program)
addRules(program)
addSnapshot(program)
addVerify(program)

// Whoever reads the output may have seen enough, as `head` has.
process.stdout.on('error', (error: NodeJS.ErrnoException) => {
  if (error.code !== 'EPIPE') throw error
  process.exit()
})

try {
  await program.parseAsync()
} catch (error) {
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : 2
  else if (error instanceof WrongUse) {
    console.error(error.message)
    process.exitCode = 2
  } else throw error
}
