#!/usr/bin/env node
import { Command, CommanderError } from 'commander'
import { addConvert } from './convert'
import { tasksFor, WrongUse } from './files'
import { describe, type Inspection } from './inspect'
import { addLint } from './lint'
import { addRules } from './rules'
import { runAll } from './threads'
import { version } from './version'

async function runInspect(paths: string[], { json }: { json?: boolean }): Promise<void> {
  const found: Inspection[] = []
  const tasks = tasksFor(paths).map((task) => ({ do: 'inspect' as const, task }))
  for await (const inspection of runAll<Inspection>(tasks)) {
    found.push(inspection)
    if (!json) console.log(describe(inspection))
  }
  if (json) process.stdout.write(`${JSON.stringify(found, null, 1)}\n`)
  else if (found.length === 0) console.error('No definition was found there.')
  const wrong = found.some(({ problems }) => problems.some((problem) => problem.level === 'error'))
  process.exitCode = wrong ? 1 : 0
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
addConvert(program)
addLint(program)
addRules(program)

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
