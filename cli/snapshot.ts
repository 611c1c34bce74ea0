import { readFileSync, statSync } from 'node:fs'
import type { Command } from 'commander'
import { joinDocuments } from '../core/text/yaml-stream'
import { count } from '../core/text/counted'
import { WrongUse } from './files'
import { serverClient, type ServerOptions } from './server'

const mostBytes = 16 * 1024 * 1024

interface PushOptions extends ServerOptions {
  gateway: string
  server: string
}

/** A document each, whatever the files are: YAML, or JSON, which YAML reads too. */
function documentsOf(paths: readonly string[]): string {
  const texts = paths.map((path) => {
    if (path === '-') return readFileSync(0, 'utf8')
    const stat = statSync(path, { throwIfNoEntry: false })
    if (!stat?.isFile()) throw new WrongUse(`There is no file "${path}".`)
    if (stat.size > mostBytes) throw new WrongUse(`"${path}" is larger than 16 MB.`)
    return readFileSync(path, 'utf8')
  })
  const text = joinDocuments(texts)
  if (Buffer.byteLength(text) > mostBytes)
    throw new WrongUse('A snapshot has 16 MB at most: leave out what is not about routes.')
  return text
}

async function runPush(paths: string[], options: PushOptions): Promise<void> {
  const text = documentsOf(paths)
  const api = serverClient(options)
  const item = await api.uploadSnapshot({ gateway: options.gateway }, { text })
  const { routes, differing, unclaimed, passedOver } = item
  console.log(
    `${item.name}: ${count(routes, 'route')} read, ${count(differing, 'placement')} differing, ${count(unclaimed.length, 'route')} of nobody’s placement`,
  )
  for (const said of passedOver) console.log(`  not understood: ${said}`)
}

/** Adds `snapshot` to the command line. */
export function addSnapshot(program: Command): void {
  program
    .command('snapshot')
    .description('Tell a server what a gateway runs that it cannot reach')
    .command('push')
    .description('Upload what a cluster prints, as YAML or JSON')
    .argument('<file...>', 'files of resources; - for standard input')
    .requiredOption('--gateway <name>', 'the gateway it is of')
    .requiredOption('--server <address>', 'the server that keeps it')
    .option('--token <token>', 'a token for it; or ELM_LEDGER_TOKEN in the environment')
    .addHelpText(
      'after',
      '\nExit status: 0 taken, 2 refused or wrong use.\n\n… | elm-ledger snapshot push --gateway shore --server https://ledger.example.org -',
    )
    .action(runPush)
}
