import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import type { Command } from 'commander'
import { unzipSync, zipSync } from 'fflate'
import pMap from 'p-map'
import { withStatus, writeResource } from '../core/resources/files'
import { count } from '../core/text/counted'
import {
  resourceKinds,
  type AppliedResource,
  type PlannedResource,
  type ResourceItem,
  type ResourceKindName,
  type ResourcePlan,
} from '../shared/api/resources'
import type { Batch, BatchAcceptance } from '../shared/api/batches'
import { revisionEtag } from '../shared/etags'
import { WrongUse } from './files'
import {
  fileNameOf,
  folderOf,
  loadResources,
  schemaFile,
  writeBelow,
  type LoadedResource,
} from './resource-files'
import { serverClient, type ServerOptions } from './server'

type Api = ReturnType<typeof serverClient>

interface ExportOptions extends ServerOptions {
  out: string
  kind?: string[]
}

/** Definitions of so many APIs are fetched at once. */
const atOnce = 8
/** So many resources are planned in a request. */
const mostAtOnce = 2000

function kindsIn(written: string[] | undefined): readonly ResourceKindName[] {
  for (const name of written ?? [])
    if (!resourceKinds.some((kind) => kind === name))
      throw new WrongUse(`There is no kind "${name}"; there are ${resourceKinds.join(', ')}.`)
  return resourceKinds.filter((kind) => !written || written.includes(kind))
}

/** Every resource of a kind, in the order in which they stand. */
const allOf = async (api: Api, kind: ResourceKindName): Promise<ResourceItem[]> =>
  (await api.listResources({ kind })).items

async function runExport({ out, kind, ...options }: ExportOptions): Promise<void> {
  const api = serverClient(options)
  const wanted = kindsIn(kind)
  let written = 0
  const write = async (item: ResourceItem) => {
    const spec = item.kind === 'Api' ? await withFolders(api, out, item) : item.spec
    const file = join(folderOf(item.kind), `${fileNameOf(item.name)}.yaml`)
    writeBelow(out, file, writeResource({ ...item, spec }))
    written++
  }
  for (const one of wanted) await pMap(await allOf(api, one), write, { concurrency: atOnce })
  const schema = await (await api.raw.getResourceSchema()).text()
  writeBelow(out, schemaFile, schema)
  if (wanted.includes('Gateway')) await exportIntent(api, out)
  console.log(`${count(written, 'resource')} in ${out}`)
}

/** Writes what each gateway is meant to run, for those who may read it. */
async function exportIntent(api: Api, out: string): Promise<void> {
  for (const { name } of await allOf(api, 'Gateway'))
    try {
      const text = await (await api.raw.getGatewayIntent({ gateway: name })).text()
      writeBelow(out, join('intended', `${fileNameOf(name)}.yaml`), text)
    } catch (error) {
      if (!(error instanceof WrongUse)) throw error
      console.error(`What gateways are meant to run is left out. ${error.message}`)
      return
    }
}

interface WireVersion {
  version: string
  files: { name: string }[]
}

/** Writes the definitions of an API beside it, and says where they are. */
async function withFolders(api: Api, out: string, { name, spec, status }: ResourceItem) {
  const { versions, ...rest } = spec as Record<string, unknown> & { versions: WireVersion[] }
  const { revisions } = status as { revisions: Record<string, number> }
  const folders = versions.map(({ version, files }) => ({
    version,
    folder: join('definitions', fileNameOf(name), fileNameOf(version)),
    files: files.map((file) => file.name),
  }))
  for (const { version, folder, files } of folders) {
    const revision = revisions[version]!
    const zip = await (await api.raw.getArchive({ api: name, revision })).arrayBuffer()
    for (const [file, bytes] of Object.entries(unzipSync(new Uint8Array(zip))))
      if (files.includes(file)) writeBelow(join(out, 'api'), join(folder, file), bytes)
  }
  return { ...rest, versions: folders }
}

interface PlanOptions extends ServerOptions {
  file: string[]
  json?: boolean
}

const bodyOf = ({ kind, name, spec }: LoadedResource) => ({ kind, name, spec })

async function planOf(api: Api, loaded: readonly LoadedResource[]): Promise<ResourcePlan> {
  const whole: ResourcePlan = { items: [], unchanged: 0, others: [] }
  // What stands besides is only known of a kind that is planned at once.
  for (const kind of resourceKinds) {
    const own = loaded.filter((one) => one.kind === kind)
    const met: string[][] = []
    for (let at = 0; at < own.length; at += mostAtOnce) {
      const resources = own.slice(at, at + mostAtOnce).map(bodyOf)
      const plan = await api.checkResources({}, { resources })
      whole.items.push(...plan.items)
      whole.unchanged += plan.unchanged
      met.push(plan.others)
    }
    const [first = [], ...more] = met.map((others) => new Set(others))
    whole.others.push(...[...first].filter((one) => more.every((others) => others.has(one))))
  }
  return whole
}

const signs = { create: '+', change: '~', waits: '…', refused: '✕' } as const
const ways = { 'at-once': '', review: ', by review', promotion: ', by promotion' } as const

const shown = (value: unknown) => {
  const text = value === undefined ? 'nothing' : JSON.stringify(value)
  return text.length > 100 ? `${text.slice(0, 99)}…` : text
}

function printed({ kind, name, act, how, says, changes }: PlannedResource): string {
  const about = says === '' ? '' : `: ${says}`
  const lines = changes
    .slice(0, 20)
    .map(({ path, before, after }) => `      ${path}: ${shown(before)} → ${shown(after)}`)
  const more = changes.length > 20 ? [`      and ${count(changes.length - 20, 'more value')}`] : []
  const head = `${signs[act]} ${kind} ${name}${act === 'refused' ? '' : ways[how]}${about}`
  return [head, ...(act === 'change' ? [...lines, ...more] : [])].join('\n')
}

async function runPlan({ file, json, ...options }: PlanOptions): Promise<void> {
  const plan = await planOf(serverClient(options), loadResources(file))
  const { items, unchanged, others } = plan
  process.exitCode = items.some(({ act }) => act === 'refused') ? 2 : items.length > 0 ? 1 : 0
  if (json) {
    console.log(JSON.stringify(plan, undefined, 2))
    return
  }
  for (const item of items) console.log(printed(item))
  const besides = others.length === 0 ? '' : `; ${others.length} that stand are in no file`
  console.log(`${count(items.length, 'change')}, ${unchanged} stand as they are wanted${besides}`)
}

interface ApplyOptions extends PlanOptions {
  note: string
  prune?: boolean
  status: boolean
}

/** What became of one resource. */
type Result = { kind: ResourceKindName; name: string } & (
  AppliedResource | { state: 'failed'; says: string }
)

async function runApply(options: ApplyOptions): Promise<void> {
  const { file, json, note, prune, status, ...server } = options
  const api = serverClient(server)
  const loaded = loadResources(file)
  const plan = await planOf(api, loaded)
  const results: Result[] = []
  const tell = (result: Result) => {
    results.push(result)
    if (!json)
      console.log(`${stateSigns[result.state]} ${result.kind} ${result.name}: ${result.says}`)
  }
  const byName = new Map(loaded.map((one) => [`${one.kind} ${one.name}`, one]))
  for (const item of plan.items) {
    const { kind, name } = item
    const resource = byName.get(`${kind} ${name}`)!
    tell({ kind, name, ...(await attempt(() => applyOne(api, item, resource, note))) })
  }
  if (prune)
    for (const other of plan.others) {
      const [kind, ...rest] = other.split(' ') as [ResourceKindName, ...string[]]
      const name = rest.join(' ')
      if (!prunable.includes(kind)) continue
      const gone = () => api.removeResource({ kind, resource: name, note })
      tell({ kind, name, ...(await attempt(gone)) })
    }
  if (status) await writeStatus(api, loaded, results)
  const failed = results.some(({ state }) => state === 'failed')
  process.exitCode = failed ? 1 : results.some(({ state }) => state === 'waits') ? 3 : 0
  if (json) console.log(JSON.stringify({ results, unchanged: plan.unchanged }, undefined, 2))
  else console.log(`${count(results.length, 'change')}, ${plan.unchanged} stood as they are wanted`)
}

const stateSigns = { done: '✓', waits: '…', failed: '✕' } as const
/** What is taken away where no file has it, and it is asked for. */
const prunable: ResourceKindName[] = ['Placement', 'Pipeline']

/** A refusal ends one resource, not the others. */
async function attempt(
  work: () => Promise<AppliedResource>,
): Promise<AppliedResource | { state: 'failed'; says: string }> {
  try {
    return await work()
  } catch (error) {
    if (!(error instanceof WrongUse)) throw error
    return { state: 'failed', says: error.message }
  }
}

async function applyOne(
  api: Api,
  item: PlannedResource,
  resource: LoadedResource,
  note: string,
): Promise<AppliedResource> {
  const { kind, name, act, says } = item
  if (act === 'refused') throw new WrongUse(says)
  if (act === 'waits') return { state: 'waits', says, status: {} }
  let { etag } = item
  if (kind === 'Api' && item.uploads.length > 0) {
    await saveVersions(api, resource, item)
    const [left] = (await api.checkResources({}, { resources: [bodyOf(resource)] })).items
    if (!left) return { state: 'done', says: `${item.uploads.join(', ')} saved`, status: {} }
    etag = left.etag
  }
  const { spec } = resource
  return api.updateResource({ kind, resource: name }, { spec, note }, { ifMatch: etag })
}

/** Saves the definitions that the ledger does not have yet, in their order; the first one makes a new API. */
async function saveVersions(
  api: Api,
  { name, spec, definitions }: LoadedResource,
  { act, uploads }: PlannedResource,
): Promise<void> {
  let isThere = act !== 'create'
  for (const version of uploads) {
    const files = Object.fromEntries(
      [...definitions.get(version)!].map(([file, bytes]) => [file, new Uint8Array(bytes)]),
    )
    const zip = new Blob([zipSync(files)], { type: 'application/zip' })
    if (isThere) {
      const { latest } = await api.getApi({ api: name })
      await api.saveRevision({ api: name }, zip, { ifMatch: revisionEtag(latest.revision) })
      continue
    }
    const { team, audience } = spec as Partial<Pick<BatchAcceptance, 'team' | 'audience'>>
    if (team === undefined || audience === undefined)
      throw new WrongUse('A new API has a team and an audience')
    await enter(api, name, zip, { team, audience })
    isThere = true
  }
}

/** Enters the definition of a new API into the register. */
async function enter(
  api: Api,
  name: string,
  zip: Blob,
  whose: Pick<BatchAcceptance, 'team' | 'audience'>,
): Promise<void> {
  const read = await settled(api, await api.createBatch({}, zip))
  const [main, ...more] = read.items.filter(({ outcome }) => outcome !== 'part')
  const problem = main?.problem ?? read.trouble
  if (main?.outcome !== 'added' || more.length > 0) {
    await api.cancelBatch({ batch: read.id })
    throw new WrongUse(
      problem ||
        `Its files are ${read.items.length === 0 ? 'no definition' : 'no new API of their own'}`,
    )
  }
  const done = await settled(
    api,
    await api.acceptBatch({ batch: read.id }, { ...whose, without: [] }),
  )
  const entered = done.items.find(({ id }) => id === main.id)?.api
  if (entered !== name)
    throw new WrongUse(
      `By its title it was entered as ${entered ?? 'nothing'}; name it so in the file. ${done.trouble}`,
    )
}

/** Waits until a batch is read, or entered. */
async function settled(api: Api, begun: Batch): Promise<Batch> {
  let batch = begun
  while (['waiting', 'unpacking', 'reading', 'accepting'].includes(batch.state)) {
    await pause(200)
    batch = await api.getBatch({ batch: batch.id })
  }
  return batch
}

/** What is known of each resource by now is written into its file, beside what somebody wrote. */
async function writeStatus(
  api: Api,
  loaded: readonly LoadedResource[],
  results: readonly Result[],
): Promise<void> {
  const kinds = resourceKinds.filter((kind) => loaded.some((one) => one.kind === kind))
  const items = (await Promise.all(kinds.map((kind) => allOf(api, kind)))).flat()
  const known = new Map(items.map((item) => [`${item.kind} ${item.name}`, item.status]))
  for (const result of results)
    if (result.state !== 'failed' && Object.keys(result.status as object).length > 0)
      known.set(`${result.kind} ${result.name}`, result.status)
  for (const file of new Set(loaded.map((one) => one.file))) {
    const statuses = new Map(
      loaded.flatMap((one): [number, unknown][] => {
        const status = known.get(`${one.kind} ${one.name}`)
        return one.file === file && status !== undefined ? [[one.document, status]] : []
      }),
    )
    const before = readFileSync(file, 'utf8')
    const after = withStatus(before, statuses)
    if (after !== before) writeFileSync(file, after)
  }
}

const more = (value: string, all: string[] = []) => [...all, value]

/** Adds `export`, `plan` and `apply` to the command line. */
export function addResources(program: Command): void {
  program
    .command('export')
    .description(
      'Write what a server holds as files: APIs, placements, policies, gateways, pipelines …',
    )
    .requiredOption('-o, --out <folder>', 'where they are written')
    .option('--kind <kind>', 'only of this kind; may be named again', more)
    .requiredOption('--server <address>', 'the server that holds it')
    .option('--token <token>', 'a token for it; or ELM_LEDGER_TOKEN in the environment')
    .addHelpText('after', '\nExit status: 0 written, 2 refused or wrong use.')
    .action(runExport)
  program
    .command('plan')
    .description('Say what applying files would change on a server; nothing is changed')
    .requiredOption('-f, --file <path>', 'a file or folder of resources; may be named again', more)
    .requiredOption('--server <address>', 'the server that would be changed')
    .option('--token <token>', 'a token for it; or ELM_LEDGER_TOKEN in the environment')
    .option('--json', 'print JSON instead of lines')
    .addHelpText(
      'after',
      '\nExit status: 0 nothing changes, 1 something does, 2 refused or wrong use.',
    )
    .action(runPlan)
  program
    .command('apply')
    .description('Change a server to what files say, through the reviews that each change takes')
    .requiredOption('-f, --file <path>', 'a file or folder of resources; may be named again', more)
    .requiredOption('--server <address>', 'the server that is changed')
    .option('--token <token>', 'a token for it; or ELM_LEDGER_TOKEN in the environment')
    .option('--note <text>', 'what reviewers and the ledger are told', 'Applied from files')
    .option('--prune', 'have placements and pipelines taken away that no file names')
    .option('--no-status', 'do not write into the files what is known of each resource by now')
    .option('--json', 'print JSON instead of lines')
    .addHelpText(
      'after',
      '\nExit status: 0 all done, 1 something failed, 2 refused or wrong use, 3 something waits for a review or a gateway.',
    )
    .action(runApply)
}
