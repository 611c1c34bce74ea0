import { existsSync, readFileSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { Option, type Command } from 'commander'
import { failing, type Report, type ReportSet } from '../core/report/model'
import { reportFormats, writeReport, type ReportFormat } from '../core/report'
import { asksForEstate, estatesOf, isAlone, type EstatePart } from '../core/rules/estate'
import { circumstancesOf, levels, type Edition, type Level } from '../core/rules/model'
import { extendRulebook, readRulebook, type Rulebook } from '../core/rules/rulebook'
import { tasksFor, WrongUse } from './files'
import { mendFile } from './mend'
import { publishedEdition, type ServerOptions } from './server'
import { runAll } from './threads'
import { version } from './version'
import type { Linted, LintTask } from './lint-one'
import type { ThreadTask } from './thread'

interface Options extends ServerOptions {
  rulebook?: string
  fix?: boolean
  level: string
  baseline?: string
  writeBaseline?: string
  format: ReportFormat
  audience: 'private' | 'partner' | 'public'
  team: string
  output?: string
}

/** The rulebook that is used where none is named. */
const shipped = () => fileURLToPath(new URL('../rulebooks/house.yaml', import.meta.url))

/** Reads a rulebook from a file, with those it extends; the same rules as a server's edition would have. */
export function loadRulebook(file: string | undefined, depth = 0): Omit<Edition, 'number'> {
  const path = file ?? shipped()
  if (!existsSync(path)) throw new WrongUse(`There is no rulebook "${path}".`)
  const { rulebook, problems } = readRulebook({ file: path, text: readFileSync(path, 'utf8') })
  for (const { message, line, column } of problems)
    console.error(`${path}:${line}:${column} ${message}`)
  if (!rulebook) throw new WrongUse(`"${path}" is no rulebook.`)
  const edition = extended(rulebook, path, depth)
  return edition
}

function extended(rulebook: Rulebook, path: string, depth: number): Omit<Edition, 'number'> {
  if (rulebook.extends === undefined) return rulebook
  if (depth > 8) throw new WrongUse(`"${path}" extends itself.`)
  const base =
    rulebook.extends === 'house' ? shipped() : new URL(rulebook.extends, `file://${path}`).pathname
  const { edition, faults } = extendRulebook(loadRulebook(base, depth + 1), rulebook)
  for (const fault of faults) console.error(`${path}: ${fault}`)
  return edition
}

const circumstancesFor = ({ audience, team }: Options) =>
  circumstancesOf({ today: new Date().toISOString().slice(0, 10), audience, team })

const lintTask = (task: LintTask): ThreadTask => ({ do: 'lint', task })

/** Checks everything below the paths; rules about other APIs are asked again of those that share names with others. */
async function lintAll(
  paths: string[],
  edition: Omit<Edition, 'number'>,
  options: Options,
): Promise<Report[]> {
  const circumstances = circumstancesFor(options)
  const tasks = tasksFor(paths).map((task, number) => ({ ...task, number, circumstances }))
  const linted: Linted[] = []
  for await (const one of runAll<Linted>(tasks.map((task) => lintTask({ ...task, edition }))))
    linted.push(one)
  const across = edition.rules.filter((rule) => asksForEstate([rule]))
  if (across.length === 0) return linted.map(({ report }) => report)
  const seenBy = estatesOf(linted.flatMap(({ part }): EstatePart[] => (part ? [part] : [])))
  const again = linted.flatMap(({ number, part, names = [] }) => {
    const estate = part && seenBy({ ...part, schemas: names })
    if (!estate || isAlone(estate)) return []
    return [lintTask({ ...tasks[number]!, edition: { ...edition, rules: across }, estate })]
  })
  const reports = new Map<number, Report>()
  for await (const { number, report } of runAll<Linted>(again)) reports.set(number, report)
  const isAcross = new Set(across.map(({ id }) => id))
  return linted.map(({ number, report }) => {
    const more = reports.get(number)
    if (!more) return report
    const alone = <T extends { rule: string }>(list: T[]) =>
      list.filter(({ rule }) => !isAcross.has(rule))
    return {
      ...report,
      findings: [...alone(report.findings), ...more.findings].sort(
        (a, b) => a.line - b.line || a.column - b.column,
      ),
      reach: [...alone(report.reach), ...more.reach],
      faults: [...alone(report.faults), ...more.faults],
    }
  })
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

function accept(reports: Report[], { accepted }: Baseline): Report[] {
  return reports.map((report) => {
    const known = new Set(Object.hasOwn(accepted, report.file) ? accepted[report.file] : [])
    return {
      ...report,
      findings: report.findings.map((finding) => ({ ...finding, waived: known.has(finding.key) })),
    }
  })
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

/** Writes fixes into the files, and says on the error stream what was mended and what was not. */
function mendAll(
  paths: string[],
  edition: Omit<Edition, 'number'>,
  options: Options,
  baseline: Baseline | undefined,
): void {
  const circumstances = circumstancesFor(options)
  for (const task of tasksFor(paths)) {
    const accepted = new Set(baseline?.accepted[task.source.file] ?? [])
    const { file, places, faults } = mendFile({ ...task, edition, circumstances }, accepted)
    if (places > 0)
      console.error(`${file}: ${places === 1 ? '1 place' : `${places} places`} mended`)
    for (const fault of faults) console.error(`${file}: ${fault}`)
  }
}

async function runLint(paths: string[], options: Options): Promise<void> {
  const level = options.level.toUpperCase() as Level
  const edition = await editionFor(options)
  const baseline = options.baseline === undefined ? undefined : readBaseline(options.baseline)
  if (options.fix) mendAll(paths, edition, options, baseline)
  let reports = await lintAll(paths, edition, options)
  if (baseline) reports = accept(reports, baseline)
  if (options.writeBaseline !== undefined) {
    const accepted = Object.fromEntries(
      reports.map(({ file, findings }) => [file, findings.map(({ key }) => key).sort()]),
    )
    writeFileSync(options.writeBaseline, `${JSON.stringify({ baseline: 1, accepted }, null, 1)}\n`)
    reports = accept(reports, { baseline: 1, accepted })
  }
  const set: ReportSet = { reports, edition, level, version, at: new Date().toISOString() }
  const written = writeReport(set, options.format)
  if (options.output === undefined) process.stdout.write(written)
  else writeFileSync(options.output, written)
  const unreadable = reports.some((report) => report.unreadable)
  process.exitCode = unreadable ? 3 : failing(set).length > 0 ? 1 : 0
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
