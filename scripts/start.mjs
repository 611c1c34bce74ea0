import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { run, StepError } from './lib/steps.mjs'
import { bringUp } from './lib/system.mjs'

const root = dirname(dirname(fileURLToPath(import.meta.url)))

await run(async () => {
  const known = ['--fresh', '--demo']
  const wrong = process.argv.slice(2).find((argument) => !known.includes(argument))
  if (wrong)
    throw new StepError(
      `"${wrong}" is not an option.`,
      'npm start; with -- --fresh everything is made anew, and with -- --demo the demo comes into the database of DATABASE_URL too.',
    )
  const port = Number(process.env.ELM_PORT ?? 4310)
  if (!Number.isInteger(port) || port < 1024 || port > 65_500) {
    throw new StepError(
      `ELM_PORT is "${process.env.ELM_PORT}".`,
      'Give a whole number from 1024 to 65500.',
    )
  }
  console.log('Elm Ledger')
  const system = await bringUp({
    root,
    data: join(root, '.data'),
    port,
    fresh: process.argv.includes('--fresh'),
    databaseUrl: process.env.DATABASE_URL,
    ownerUrl: process.env.ELM_OWNER_URL ?? process.env.DATABASE_URL,
    demo: process.env.DATABASE_URL === undefined || process.argv.includes('--demo'),
  })
  console.log(`\nOpen ${system.address}`)
  console.log(
    system.demo
      ? `Demo sign-ins, all with the password elm-demo-2026:
  imara  governance               oskar  operator
  tomas  owner, Network Control   ruth   reviewer
  nadia  owner, Metering          wren   reader
  edwin  owner, Customer          ada    administrator`
      : `If nobody has set it up yet, this code makes the first administrator: ${system.env.ELM_SETUP_CODE}`,
  )
  console.log('Ctrl-C stops everything.')
  let stopping = false
  const stop = async () => {
    if (stopping) return
    stopping = true
    console.log('\nStopping …')
    await system.down()
    process.exit(0)
  }
  for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) process.on(signal, () => void stop())
})
