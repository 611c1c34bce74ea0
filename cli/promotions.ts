import { setTimeout as pause } from 'node:timers/promises'
import type { Command } from 'commander'
import { open } from '../core/pipeline/gates'
import type { PromotionDetail, PromotionItem } from '../shared/api/promotions'
import { placementEtag } from '../shared/etags'
import { WrongUse } from './files'
import { serverClient, type ServerOptions } from './server'

interface Options extends ServerOptions {
  server: string
  json?: boolean
}

/** Whether what was asked for is there, cannot be as it stands, or is not yet. */
type Outcome = 'reached' | 'shut' | 'waits'
const exitCodes: Record<Outcome, number> = { reached: 0, shut: 1, waits: 3 }
const exitHelp =
  '\nExit status: 0 it is so, 1 it is withdrawn or a gate is shut by a fault, 2 refused or wrong use, 3 it waits.'

type Api = ReturnType<typeof serverClient>
const signs = { passed: '✓', failed: '✕', waiting: '…' } as const

function outcomeOf({ state, gates }: PromotionItem, until: 'done' | 'open' = 'done'): Outcome {
  if (state === 'done') return 'reached'
  if (state === 'withdrawn') return 'shut'
  if (until === 'open' && (state === 'under-way' || open(gates))) return 'reached'
  return state === 'waiting' && gates.some((gate) => gate.state === 'failed') ? 'shut' : 'waits'
}

function tell(promotion: PromotionDetail | PromotionItem, { json }: Options, outcome: Outcome) {
  process.exitCode = exitCodes[outcome]
  const { id, api, version, from, to, state, gates, approvals } = promotion
  if (json) {
    console.log(JSON.stringify({ promotion: id, api, version, from, to, state, gates, approvals }))
    return
  }
  console.log(`Promotion ${id}: ${api} ${version} from ${from} into ${to}, ${state}`)
  for (const gate of gates) console.log(`  ${signs[gate.state]} ${gate.title}. ${gate.text}`)
}

/** `meter-readings@4.0.0` in its two parts. */
function versionIn(text: string): { api: string; version: string } {
  const at = text.lastIndexOf('@')
  const [api, version] = [text.slice(0, at), text.slice(at + 1)]
  if (at < 1 || version === '')
    throw new WrongUse(`"${text}" is no API with its version, as in meter-readings@4.0.0.`)
  return { api, version }
}

const numberIn = (text: string): number => {
  if (!/^\d{1,9}$/.test(text)) throw new WrongUse(`"${text}" is no number of a promotion.`)
  return Number(text)
}

async function waitingOf(api: Api, of: { api: string; version: string }, from: string) {
  const { items } = await api.listPromotions({ api: of.api, state: 'waiting', limit: 200 })
  return items.find(
    (item) => item.kind === 'promotion' && item.version === of.version && item.from === from,
  )
}

interface PromoteOptions extends Options {
  from: string
  note: string
  neededBy?: string
  carryOut?: boolean
}

async function runPromote(text: string, options: PromoteOptions): Promise<void> {
  const of = versionIn(text)
  const api = serverClient(options)
  const { from, note, neededBy, carryOut } = options
  const waiting = await waitingOf(api, of, from)
  let promotion = waiting
    ? await api.getPromotion({ promotion: waiting.id })
    : await api.requestPromotion({}, { ...of, from, note, ...(neededBy && { neededBy }) })
  const { id, gates } = promotion
  if (carryOut && open(gates)) promotion = await api.promoteVersion({ promotion: id })
  // Without being told to carry it out, it was asked for: that is what was wanted.
  tell(promotion, options, carryOut ? outcomeOf(promotion) : 'reached')
}

async function runStatus(text: string, options: Options): Promise<void> {
  const api = serverClient(options)
  if (/^\d+$/.test(text)) {
    const promotion = await api.getPromotion({ promotion: numberIn(text) })
    return tell(promotion, options, outcomeOf(promotion))
  }
  const { api: slug, version } = versionIn(text)
  const { items } = await api.listPlacements({ api: slug, limit: 500 })
  const stands = items
    .filter((item) => item.version === version)
    .map(({ id, stage, group, mark, differences }) => ({
      ...{ placement: id, stage, group, mark, differences: differences.length },
    }))
  process.exitCode = exitCodes[stands.length > 0 ? 'reached' : 'shut']
  if (options.json) console.log(JSON.stringify({ api: slug, version, stands }))
  else if (stands.length === 0) console.log(`${slug} ${version} is not placed anywhere`)
  for (const { placement, stage, group, differences } of options.json ? [] : stands)
    console.log(
      `${stage}  ${group}  ${placement}  ${differences > 0 ? `differs in ${differences}` : 'in step as far as it is read'}`,
    )
}

interface WaitOptions extends Options {
  timeout: string
  until: string
}

async function runWait(text: string, options: WaitOptions): Promise<void> {
  const api = serverClient(options)
  const promotion = numberIn(text)
  const { until } = options
  if (until !== 'done' && until !== 'open')
    throw new WrongUse(`--until is done or open, not "${until}".`)
  if (!/^\d{1,6}$/.test(options.timeout))
    throw new WrongUse(`--timeout is a number of seconds, not "${options.timeout}".`)
  const end = Date.now() + Number(options.timeout) * 1000
  for (;;) {
    const item = await api.getPromotion({ promotion })
    const outcome = outcomeOf(item, until)
    // What a fault shuts may be mended while somebody waits.
    const isOver = outcome === 'reached' || item.state === 'withdrawn'
    const left = end - Date.now()
    if (isOver || left <= 0) return tell(item, options, outcome)
    await pause(Math.min(2000, left))
  }
}

interface RollbackOptions extends Options {
  to?: string
  entry?: string
  reason: string
}

async function runRollback(placement: string, options: RollbackOptions): Promise<void> {
  const api = serverClient(options)
  const now = await api.getPlacement({ placement })
  const entry = options.entry
    ? numberIn(options.entry)
    : await lastEntryOf(api, placement, options.to)
  const { reason } = options
  const done = await api.restorePlacement(
    { placement },
    { entry, reason },
    { ifMatch: placementEtag(now) },
  )
  // A rollout that goes on is told by its steps.
  const isUnderWay = 'steps' in done
  process.exitCode = exitCodes[isUnderWay ? 'waits' : 'reached']
  const { version } = await api.getPlacement({ placement })
  if (options.json)
    console.log(
      JSON.stringify({ placement, entry, version, ...(isUnderWay && { rollout: done.id }) }),
    )
  else
    console.log(
      isUnderWay
        ? `${placement}: rollout ${String(done.id)} carries it out`
        : `${placement} runs ${version}, as entry ${entry} of the ledger says`,
    )
}

/** The last entry by which a placement ran a version. */
async function lastEntryOf(api: Api, placement: string, version: string | undefined) {
  if (version === undefined) throw new WrongUse('Say to which version (--to) or entry (--entry).')
  const { items } = await api.listLedgerEntries({ search: placement, limit: 500 })
  const found = items.find(({ subject, action, after }) => {
    const state = after as { version?: string; spec?: unknown } | null
    const isState = subject === placement && /^(?:placement|drift)\./.test(action)
    return isState && state?.version === version && state.spec !== undefined
  })
  if (!found) throw new WrongUse(`${placement} has not run ${version}, as far as the ledger says.`)
  return found.number
}

/** Adds `promote`, `status`, `wait` and `rollback` to the command line. */
export function addPromotions(program: Command): void {
  const command = (name: string, says: string) =>
    program
      .command(name)
      .description(says)
      .requiredOption('--server <address>', 'the server that keeps the ledger')
      .option('--token <token>', 'a token for it; or ELM_LEDGER_TOKEN in the environment')
      .option('--json', 'print JSON')
  command('promote', 'Ask for a version to enter the stage after one')
    .argument('<api@version>', 'as in meter-readings@4.0.0')
    .requiredOption('--from <stage>', 'the stage that it stands in')
    .option('--note <text>', 'what reviewers should know', '')
    .option('--needed-by <day>', 'by when it is needed, as in 2026-12-01')
    .option('--carry-out', 'carry it out where every gate is open')
    .addHelpText('after', `${exitHelp} Without --carry-out, 0 is that it was asked for.`)
    .action(runPromote)
  command('status', 'Say how a promotion stands, or where a version does')
    .argument('<promotion|api@version>', 'its number, or a version')
    .addHelpText('after', `${exitHelp}\nOf a version, 0 is that it stands somewhere.`)
    .action(runStatus)
  command('wait', 'Wait until a promotion is done')
    .argument('<promotion>', 'its number')
    .option('--timeout <seconds>', 'for so long at most', '900')
    .option('--until <what>', 'done, or open: that all gates are', 'done')
    .addHelpText('after', exitHelp)
    .action(runWait)
  command('rollback', 'Have a placement run again as it was approved once')
    .argument('<placement>', 'as in meter-readings-live-1')
    .option('--to <version>', 'as it ran that version last')
    .option('--entry <number>', 'as an entry of the ledger says')
    .requiredOption('--reason <text>', 'what people are told')
    .addHelpText('after', exitHelp)
    .action(runRollback)
}
