#!/usr/bin/env node
import { statSync } from 'node:fs'
import { availableParallelism } from 'node:os'
import { fileURLToPath } from 'node:url'
import { Command, CommanderError } from 'commander'
import { Piscina } from 'piscina'
import { addConvert } from './convert'
import { sourcesOf, WrongUse } from './files'
import { describe, inspect, type Inspection, type InspectionTask } from './inspect'

/** Fewer files than this are read before threads would have started. */
const fewFiles = 4

async function* inspectAll(tasks: InspectionTask[]): AsyncGenerator<Inspection> {
  if (tasks.length < fewFiles) {
    for (const task of tasks) {
      const found = inspect(task)
      if (found) yield found
    }
    return
  }
  const threads = availableParallelism()
  const pool = new Piscina<InspectionTask, Inspection | undefined>({
    filename: fileURLToPath(new URL('./inspect-thread.mjs', import.meta.url)),
    minThreads: threads,
    maxThreads: threads,
    resourceLimits: { maxOldGenerationSizeMb: 400, maxYoungGenerationSizeMb: 48 },
  })
  const ahead = threads * 4
  const running: Promise<Inspection | undefined>[] = []
  for (let i = 0; i < tasks.length || running.length > 0;) {
    while (running.length < ahead && i < tasks.length) running.push(pool.run(tasks[i++]!))
    const found = await running.shift()
    if (found) yield found
  }
  await pool.destroy()
}

async function runInspect(paths: string[], { json }: { json?: boolean }): Promise<void> {
  const tasks = paths.flatMap((path) => {
    const root = statSync(path, { throwIfNoEntry: false })?.isDirectory() ? { root: path } : {}
    return sourcesOf([path]).map((source): InspectionTask => ({ source, ...root }))
  })
  const found: Inspection[] = []
  for await (const inspection of inspectAll(tasks)) {
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
  .exitOverride()

program
  .command('inspect')
  .description('Say what definitions hold: format, version, counts, problems with their places')
  .argument('<path...>', 'files, folders, or ZIP and TAR archives')
  .option('--json', 'print a JSON array instead of lines')
  .addHelpText('after', '\nExit status: 0 all readable, 1 some have errors, 2 wrong use.')
  .action(runInspect)
addConvert(program)

try {
  await program.parseAsync()
} catch (error) {
  if (error instanceof CommanderError) process.exitCode = error.exitCode === 0 ? 0 : 2
  else if (error instanceof WrongUse) {
    console.error(error.message)
    process.exitCode = 2
  } else throw error
}
