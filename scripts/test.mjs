import { spawn } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync } from 'node:fs'
import { availableParallelism } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { ensureBuild } from './lib/build.mjs'
import { ensureGit, installDebian, which } from './lib/commands.mjs'
import { ensurePackages } from './lib/packages.mjs'
import { requireFree } from './lib/ports.mjs'
import { ensureDatabase, ensurePostgresInstalled, startPostgres } from './lib/postgres.mjs'
import { step } from './lib/steps.mjs'
import { bringUp, gatewaySecret } from './lib/system.mjs'

const root = dirname(dirname(fileURLToPath(import.meta.url)))
const results = join(root, 'test-results')
const data = join(root, '.data/test')
const port = Number(process.env.ELM_TEST_PORT ?? 4610)
const unitPort = port + 40
/** Durability is worth nothing to a test. */
const hasty = { fsync: 'off', synchronous_commit: 'off', full_page_writes: 'off' }
const only = process.argv[2]

let passed = 0
let failed = 0

/** Runs a program of the installed packages with its output shown. */
function tool(name, args, env = {}) {
  return new Promise((resolve) => {
    const child = spawn(join(root, 'node_modules/.bin', name), args, {
      cwd: root,
      stdio: 'inherit',
      env: { ...process.env, ...env },
    })
    child.on('close', (code) => resolve(code ?? 1))
  })
}

/** One check that either holds or does not; what it says is shown in one piece, as others run beside it. */
async function check([title, name, args]) {
  const child = spawn(join(root, 'node_modules/.bin', name), args, { cwd: root })
  const said = []
  child.stdout.on('data', (part) => said.push(part))
  child.stderr.on('data', (part) => said.push(part))
  const code = await new Promise((resolve) => child.on('close', resolve))
  console.log(`\n── ${title}\n${Buffer.concat(said)}`)
  if (code === 0) passed++
  else {
    failed++
    console.error(`✕ ${title}`)
  }
}

/** Does something with all of them, as many at a time as the machine has cores. */
async function onAllCores(list, act) {
  const waiting = [...list]
  const lane = async () => {
    for (let next = waiting.shift(); next; next = waiting.shift()) await act(next)
  }
  await Promise.all(Array.from({ length: availableParallelism() }, lane))
}

const reportOf = (file) => {
  try {
    return JSON.parse(readFileSync(join(results, file), 'utf8'))
  } catch {
    return undefined
  }
}

async function staticChecks() {
  await tool('nuxt', ['prepare'], { NUXT_TELEMETRY_DISABLED: '1' })
  const houses = ['core', 'app', 'server', 'shared', 'gateway', 'standins', 'demo', 'cli']
  await onAllCores(
    [
      ['ESLint', 'eslint', ['.']],
      ['Types of the app', 'vue-tsc', ['--noEmit', '-p', '.nuxt/tsconfig.app.json']],
      ['Types of everything else', 'tsc', ['-p', 'tsconfig.processes.json']],
      ['Formatting', 'prettier', ['--check', '--log-level', 'warn', '.']],
      ['Import boundaries', 'depcruise', ['--config', '.dependency-cruiser.cjs', ...houses]],
    ],
    check,
  )
}

async function unitAndRoutes() {
  console.log('\n── Unit and route tests')
  await requireFree([['test database', unitPort]])
  const postgres = await startPostgres({
    folder: join(data, 'unit-postgres'),
    port: unitPort,
    settings: hasty,
  })
  try {
    await ensureDatabase(postgres.url, 'elm', { fresh: true })
    const code = await tool(
      'vitest',
      ['run', '--reporter=default', '--reporter=json', '--outputFile.json=test-results/unit.json'],
      { ELM_TEST_DATABASE: postgres.url },
    )
    const report = reportOf('unit.json')
    passed += report?.numPassedTests ?? 0
    failed += Math.max(report?.numFailedTests ?? 1, code === 0 ? 0 : 1)
  } finally {
    await postgres.stop()
  }
}

async function endToEnd() {
  console.log('\n── End-to-end tests')
  rmSync(join(data, 'gateways'), { recursive: true, force: true })
  const system = await bringUp({
    root,
    data,
    port,
    fresh: true,
    // Processes are killed here, the database among them: what it acknowledged must be there afterwards.
    postgresSettings: { ...hasty, synchronous_commit: 'on' },
    env: { ELM_CALLERS: 'off', ELM_JOB_EXPIRE_SECONDS: '20', ELM_JOB_MAINTENANCE_SECONDS: '2' },
  })
  const control = await controlServer(system)
  try {
    const code = await tool(
      'playwright',
      ['test', ...(process.env.ELM_E2E ? [process.env.ELM_E2E] : [])],
      {
        ELM_ADDRESS: system.address,
        ELM_CONTROL: control.address,
        ELM_STANDINS: `http://127.0.0.1:${system.ports.standins}`,
        ELM_CHROMIUM: which('chromium') ?? which('chromium-browser') ?? '',
        ELM_DATABASE: system.env.DATABASE_URL,
      },
    )
    const stats = reportOf('e2e.json')?.stats
    passed += (stats?.expected ?? 0) + (stats?.flaky ?? 0)
    failed += Math.max(stats?.unexpected ?? 1, code === 0 ? 0 : 1)
  } finally {
    await control.close()
    await system.down()
  }
}

/** Lets tests do to the processes what fate does: kill the worker, stop a gateway, restart the database. */
async function controlServer({ processes, postgres, ports, env, startWorker, startGateways }) {
  const { default: http } = await import('node:http')
  const headersFor = (gateway) => ({
    'x-admin-secret': gatewaySecret(env.ELM_GATEWAY_SECRET, gateway),
  })
  const acts = {
    '/kill-worker': () => process.kill(processes.pid('worker'), 'SIGKILL'),
    '/stop-worker': () => processes.stop('worker'),
    '/start-worker': () => startWorker(),
    '/stop-gateways': () => Promise.all(ports.gateways.map(({ name }) => processes.stop(name))),
    '/start-gateways': startGateways,
    '/restart-database': () => postgres.restart(),
    '/edit-gateway': async () => {
      const url = `http://127.0.0.1:${ports.gateways[0].admin}/configuration`
      const headers = headersFor(ports.gateways[0])
      const text = await (await fetch(url, { headers })).text()
      const hydrants =
        /(kind: RateLimitPolicy\n(?:(?!---)[\s\S])*hydrant-checks(?:(?!---)[\s\S])*requests: )\d+/
      await fetch(url, {
        method: 'PUT',
        headers,
        body: text.replace(hydrants, (_, before) => `${before}77`),
      })
    },
  }
  const limitAt = async (gateway) => {
    const { admin } = gateway
    const headers = headersFor(gateway)
    const answer = await fetch(`http://127.0.0.1:${admin}/configuration`, { headers })
    const limit =
      /kind: RateLimitPolicy\n(?:(?!---)[\s\S])*name: leak-sensors-trial-1\n(?:(?!---)[\s\S])*requests: (\d+)/
    return Number(limit.exec(await answer.text())?.[1] ?? 0)
  }
  /** Ends a process between any two of its lines; whatever supervises it starts it again. */
  const kill = (name) => {
    const pid = name === 'database' ? postgres.pid() : processes.pid(name)
    try {
      if (pid !== undefined) process.kill(pid, 'SIGKILL')
    } catch {
      // It is dead already.
    }
  }
  const server = http.createServer(async (request, response) => {
    // A connection that is kept may end at the very moment it is used again.
    response.setHeader('Connection', 'close')
    const victim = /^\/kill\/([\w-]+)$/.exec(request.url)?.[1]
    if (request.url === '/limits') {
      const limits = await Promise.all(
        ports.gateways.filter(({ name }) => name.endsWith('-edge')).map(limitAt),
      ).catch(() => [])
      response.end(JSON.stringify(limits))
      return
    }
    if (victim) kill(victim)
    else await acts[request.url]?.()
    response.writeHead(victim || acts[request.url] ? 204 : 404).end()
  })
  await new Promise((resolve) => server.listen(0, '127.0.0.1', resolve))
  return {
    address: `http://127.0.0.1:${server.address().port}`,
    close: () => new Promise((resolve) => server.close(resolve)),
  }
}

try {
  mkdirSync(results, { recursive: true })
  await step('Packages', () => ensurePackages(root))
  await step('PostgreSQL', ensurePostgresInstalled)
  await step('Git', ensureGit)
  await step('Chromium', async () => {
    if (which('chromium') ?? which('chromium-browser')) return 'already there'
    await installDebian(['chromium'], 'Chromium')
  })
  if (!only || only === 'static') await staticChecks()
  if (!only || only !== 'static') await step('Build', () => ensureBuild(root))
  if (!only || only === 'unit') await unitAndRoutes()
  if (!only || only === 'e2e') await endToEnd()
} catch (error) {
  failed++
  console.error(`\nStopped: ${error.message}`)
  if (error.fix) console.error(`To fix it: ${error.fix}`)
}
console.log(`\n${passed} passed, ${failed} failed`)
process.exit(failed === 0 && passed > 0 ? 0 : 1)
