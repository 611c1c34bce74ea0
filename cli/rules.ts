import { writeFileSync } from 'node:fs'
import { Option, type Command } from 'commander'
import { asksForChanges } from '../core/rules/before'
import { rulebookPage, type PageFormat } from '../core/rules/page'
import { referencePage } from '../core/rules/reference'
import { rulebookSchema } from '../core/rules/schema'
import { runSamples } from '../core/rules/samples'
import { asksForWords } from '../core/rules/spelling'
import { dictionary } from './dictionary'
import { loadRulebook } from './lint'

async function runTest({ rulebook }: { rulebook?: string }): Promise<void> {
  const edition = loadRulebook(rulebook)
  const isWord = asksForWords(edition.rules) ? dictionary() : undefined
  const compare = asksForChanges(edition.rules)
    ? (await import('../core/compare/contracts')).compareContracts
    : undefined
  let [run, failed] = [0, 0]
  for (const rule of edition.rules) {
    for (const { kind, number, wrong } of runSamples(rule, edition, { isWord, compare })) {
      run++
      if (wrong === undefined) continue
      failed++
      console.log(`${rule.id}, ${kind} ${number}: ${wrong}`)
    }
  }
  console.log(`${edition.rules.length} rules, ${run} samples, ${failed} not as they should be`)
  process.exitCode = failed > 0 ? 1 : 0
}

function runDocs({
  rulebook,
  format,
  output,
}: {
  rulebook?: string
  format: PageFormat
  output?: string
}): void {
  const page = rulebookPage(loadRulebook(rulebook), format)
  if (output === undefined) process.stdout.write(page)
  else writeFileSync(output, page)
}

const print = (text: string) => {
  process.stdout.write(text)
}

/** Adds `rules` to the command line. */
export function addRules(program: Command): void {
  const rules = program.command('rules').description('Work on a rulebook')
  rules
    .command('test')
    .description("Run the samples of a rulebook's rules")
    .option('--rulebook <file>', 'the rulebook; the one that ships where none is named')
    .addHelpText('after', '\nExit status: 0 all as they should be, 1 some are not, 2 wrong use.')
    .action(runTest)
  rules
    .command('docs')
    .description('Write a rulebook as a page for people')
    .option('--rulebook <file>', 'the rulebook; the one that ships where none is named')
    .addOption(
      new Option('--format <format>', 'how to write')
        .choices(['markdown', 'html'])
        .default('markdown'),
    )
    .option('-o, --output <file>', 'where to write')
    .action(runDocs)
  rules
    .command('reference')
    .description('Print everything that conditions can ask, in Markdown')
    .action(() => print(referencePage()))
  rules
    .command('schema')
    .description('Print the JSON Schema of a rulebook')
    .action(() => print(`${JSON.stringify(rulebookSchema, null, 2)}\n`))
}
