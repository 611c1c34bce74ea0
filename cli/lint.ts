import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { Option, type Command } from 'commander'
import { reportFormats, reportWriter, type ReportFormat } from '../core/report'
import { failing, type Report } from '../core/report/model'
import { asksForEstate, estatesOf } from '../core/rules/estate'
import type { Estate } from '../core/rules/facts/fact'
import { circumstancesOf, levels, type Edition, type Level } from '../core/rules/model'
import { extendRulebook, readRulebook, type Rulebook } from '../core/rules/rulebook'
import { count } from '../core/text/counted'
import { beforeIn } from './before'
import { isFile, nameOf, tasksFor, WrongUse } from './files'
import type { Named } from './lint-one'
import { fixFile } from './fix'
import { prepared } from './prepared'
import type { SourceTask } from './open'
import { writeAll } from './output'
import { publishedEdition, type ServerOptions } from './server'
import { runAll } from './threads'
import { version } from './version'

interface Options extends ServerOptions {
  rulebook?: string
  before?: string
  fix?: boolean
  level: string
  baseline?: string
  writeBaseline?: string
  format: ReportFormat
  audience: 'private' | 'partner' | 'public'
  team: string
  output?: string
}

/**
 * Reads a rulebook from a file, with those it extends; the same rules as a server's edition would have. Without a file,
 * the one that ships: it was read and checked when this was built.
 */
export function loadRulebook(path: string | undefined, depth = 0): Omit<Edition, 'number'> {
  if (path === undefined)
    return JSON.parse(readFileSync(prepared('house.json'), 'utf8')) as Rulebook
  if (!existsSync(path)) throw new WrongUse(`There is no rulebook "${path}".`)
  const { rulebook, diagnostics } = readRulebook({ file: path, text: readFileSync(path, 'utf8') })
  for (const { message, line, column } of diagnostics)
    console.error(`${path}:${line}:${column} ${message}`)
  if (!rulebook) throw new WrongUse(`"${path}" is no rulebook.`)
  const edition = extended(rulebook, path, depth)
  return edition
}

function extended(rulebook: Rulebook, path: string, depth: number): Omit<Edition, 'number'> {
  if (rulebook.extends === undefined) return rulebook
  if (depth > 8) throw new WrongUse(`"${path}" extends itself.`)
  const base =
    rulebook.extends === 'house' ? undefined : new URL(rulebook.extends, `file://${path}`).pathname
  const { edition, faults } = extendRulebook(loadRulebook(base, depth + 1), rulebook)
  for (const fault of faults) console.error(`${path}: ${fault}`)
  return edition
}

const circumstancesFor = ({ audience, team }: Options) =>
  circumstancesOf({ today: new Date().toISOString().slice(0, 10), audience, team })

/** What each definition sees of all the others, by its file; nothing where no rule looks at others. */
async function othersAround(
  tasks: readonly SourceTask[],
  { rules }: Pick<Edition, 'rules'>,
): Promise<((file: string) => Estate | undefined) | undefined> {
  if (tasks.length < 2 || !asksForEstate(rules)) return undefined
  const all = new Map<string, Named>()
  for await (const named of runAll<Named, SourceTask>(tasks, (task) => ({ do: 'names', task })))
    all.set(named.file, named)
  const seenBy = estatesOf(Array.from(all.values(), ({ part }) => part))
  return (file) => {
    const named = all.get(file)
    return named && seenBy({ api: named.part.api, ...named.names })
  }
}

/** Checks everything below the paths, one report after the other. */
async function* lintAll(
  paths: string[],
  edition: Omit<Edition, 'number'>,
  options: Options,
): AsyncGenerator<Report> {
  const circumstances = circumstancesFor(options)
  const tasks = tasksFor(paths)
  const { before } = options
  if (before !== undefined) await requireOne(tasks, before)
  const around = await othersAround(tasks, edition)
  yield* runAll<Report, SourceTask>(tasks, (task) => ({
    do: 'lint',
    task: { ...task, edition, circumstances, estate: around?.(nameOf(task.source)), before },
  }))
}

async function requireOne(tasks: readonly SourceTask[], before: string): Promise<void> {
  if (tasks.length > 1) throw new WrongUse('--before goes with one definition.')
  if (!isFile(before)) throw new WrongUse(`There is no file "${before}".`)
  if (!(await beforeIn(before)))
    throw new WrongUse(`"${before}" is no definition that can be read.`)
}

interface Baseline {
  baseline: 1
  accepted: Record<string, string[]>
}

/** The keys of the findings that a file accepts, by definition. */
function readBaseline(file: string): Baseline {
  try {
    const read = JSON.parse(readFileSync(file, 'utf8')) as Partial<Baseline>
    if (read.baseline === 1 && typeof read.accepted === 'object') return read as Baseline
  } catch {
    // Said below: what is no JSON is no baseline either.
  }
  throw new WrongUse(`"${file}" is no baseline; --write-baseline makes one.`)
}

function accept(report: Report, { accepted }: Baseline): Report {
  const known = new Set(Object.hasOwn(accepted, report.file) ? accepted[report.file] : [])
  const findings = report.findings.map((finding) => ({
    ...finding,
    waived: known.has(finding.key),
  }))
  return { ...report, findings }
}

async function editionFor(options: Options): Promise<Omit<Edition, 'number'>> {
  if (options.server === undefined) {
    if (options.token !== undefined) throw new WrongUse('--token goes with --server.')
    const loaded = loadRulebook(options.rulebook)
    // The rulebook that ships is another organisation's; its domain is nothing to ask of anybody else.
    return options.rulebook === undefined ? { ...loaded, domain: '' } : loaded
  }
  if (options.rulebook !== undefined) {
    throw new WrongUse('Name a rulebook or a server, not both.')
  }
  return publishedEdition(options)
}

/** Writes fixes into the files, and says on the error stream what was fixed and what was not. */
function fixAll(
  paths: string[],
  edition: Omit<Edition, 'number'>,
  options: Options,
  baseline: Baseline | undefined,
): void {
  const circumstances = circumstancesFor(options)
  for (const task of tasksFor(paths)) {
    const accepted = new Set(baseline?.accepted[task.source.file] ?? [])
    const { file, places, faults } = fixFile({ ...task, edition, circumstances }, accepted)
    if (places > 0) console.error(`${file}: ${count(places, 'place')} fixed`)
    for (const fault of faults) console.error(`${file}: ${fault}`)
  }
}

async function runLint(paths: string[], options: Options): Promise<void> {
  const level = options.level.toUpperCase() as Level
  const edition = await editionFor(options)
  const baseline = options.baseline === undefined ? undefined : readBaseline(options.baseline)
  if (options.fix) fixAll(paths, edition, options, baseline)
  const accepted: Baseline['accepted'] = {}
  let [isReadable, isKept] = [true, true]
  const frame = { edition, level, version, at: new Date().toISOString() }
  const writer = reportWriter(options.format, frame)

  async function* pieces(): AsyncGenerator<string> {
    yield writer.begin()
    for await (const checked of lintAll(paths, edition, options)) {
      let report = baseline ? accept(checked, baseline) : checked
      if (options.writeBaseline !== undefined) {
        accepted[report.file] = report.findings.map(({ key }) => key).sort()
        report = accept(report, { baseline: 1, accepted })
      }
      if (report.unreadable) isReadable = false
      if (failing(report, level).length > 0) isKept = false
      yield writer.add(report)
    }
    yield writer.end()
  }
  await writeAll(pieces(), options.output)
  if (options.writeBaseline !== undefined)
    writeFileSync(options.writeBaseline, `${JSON.stringify({ baseline: 1, accepted }, null, 1)}\n`)
  process.exitCode = !isReadable ? 3 : !isKept ? 1 : 0
}

/** Adds `lint` to the command line. */
export function addLint(program: Command): void {
  program
    .command('lint')
    .description('Check definitions against a rulebook: a file, the one that ships, or a server’s')
    .argument('<path...>', 'files, folders, or ZIP and TAR archives')
    .option('--rulebook <file>', 'the rulebook; the one that ships where none is named')
    .addOption(
      new Option('--level <level>', 'the weakest level that counts')
        .choices(levels.map((level) => level.toLowerCase()))
        .default('may'),
    )
    .option('--before <file>', 'the version before, for rules about what changed')
    .option('--baseline <file>', 'findings that are accepted already')
    .option('--write-baseline <file>', 'accept what is found now, and keep it in a file')
    .addOption(
      new Option('--format <format>', 'how to write').choices(reportFormats).default('text'),
    )
    .addOption(
      new Option('--audience <audience>', 'whom the APIs are for')
        .choices(['private', 'partner', 'public'])
        .default('partner'),
    )
    .option('--team <team>', 'the owning team', '')
    .option('--fix', 'write the fixes of broken rules into the files, then check what is left')
    .option('--server <url>', 'use the edition in force on a server')
    .option('--token <token>', 'an access token for it; otherwise ELM_LEDGER_TOKEN')
    .option('-o, --output <file>', 'where to write')
    .addHelpText(
      'after',
      '\nExit status: 0 nothing at or above the level, 1 findings, 2 wrong use, 3 something is not readable.',
    )
    .action(runLint)
}
