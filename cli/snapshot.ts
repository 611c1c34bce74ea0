import type { Command } from 'commander'
import { count } from '../core/text/counted'
import { documentsOf } from './documents'
import { serverClient, type ServerOptions } from './server'

interface PushOptions extends ServerOptions {
  gateway: string
  server: string
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
