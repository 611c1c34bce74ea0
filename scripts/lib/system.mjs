import { createHmac, randomBytes } from 'node:crypto'
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { ensureBuild } from './build.mjs'
import { command, ensureGit } from './commands.mjs'
import { ensurePackages } from './packages.mjs'
import { portsFrom, requireFree } from './ports.mjs'
import {
  emptyDatabase,
  ensureDatabase,
  ensurePostgresInstalled,
  ensureRoles,
  startPostgres,
} from './postgres.mjs'
import { Processes } from './processes.mjs'
import { step, StepError } from './steps.mjs'

/** Secrets of this installation, each made once. */
function secretsOf(data) {
  const file = join(data, 'secrets.json')
  const kept = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : {}
  const secret = (name) => kept[name] ?? randomBytes(32).toString('base64url')
  const names = ['session', 'gateway', 'owner', 'application', 'issuer']
  const secrets = Object.fromEntries(names.map((name) => [name, secret(name)]))
  writeFileSync(file, JSON.stringify(secrets), { mode: 0o600 })
  return secrets
}

/** The secret of one gateway, as the server makes it (`server/gateways/secret.ts`). */
export const gatewaySecret = (secret, { name, admin }) =>
  createHmac('sha256', secret).update(`${name}\nhttp://127.0.0.1:${admin}`).digest('base64url')

/**
 * Brings a whole installation up, step by step, and returns how to take it down again.
 * `data` is its folder, `port` the web app's; `env` goes to every process.
 */
export async function bringUp({
  root,
  data,
  port,
  fresh = false,
  databaseUrl,
  ownerUrl = databaseUrl,
  demo = databaseUrl === undefined,
  env = {},
  postgresSettings = {},
}) {
  mkdirSync(data, { recursive: true })
  const ports = portsFrom(port)
  const secrets = secretsOf(data)
  const processes = new Processes(join(data, 'logs'))
  let postgres
  const down = async () => {
    await processes.stopAll()
    await postgres?.stop()
  }
  try {
    await step('Packages', () => ensurePackages(root))
    await step('Git', ensureGit)
    await step('Ports', () =>
      requireFree([
        ['web app', ports.web],
        ...(databaseUrl ? [] : [['database', ports.postgres]]),
        ['stand-ins', ports.standins],
        ['mailbox', ports.mail],
        ...ports.gateways.flatMap(({ name, data: d, admin, tls }) => [
          [name, d],
          [`${name} admin`, admin],
          [`${name} TLS`, tls],
        ]),
      ]),
    )
    let [url, owner] = [databaseUrl, ownerUrl]
    if (databaseUrl) {
      await step('Database (the one DATABASE_URL names)', () => reach(databaseUrl))
      if (fresh) await step('Emptying the database', () => emptyDatabase(ownerUrl))
    } else {
      await step('PostgreSQL', ensurePostgresInstalled)
      await step('Database', async () => {
        postgres = await startPostgres({
          folder: join(data, 'postgres'),
          port: ports.postgres,
          settings: postgresSettings,
          keepAlive: true,
        })
        await ensureDatabase(postgres.url, 'elm', { fresh })
        const roles = await ensureRoles(postgres.url, 'elm', secrets)
        ;[url, owner] = [roles.application, roles.owner]
        return `on 127.0.0.1:${ports.postgres}`
      })
    }
    await step('Build', () => ensureBuild(root))
    if (fresh) {
      for (const name of ['clusters', 'gateways', 'keys', 'standins'])
        rmSync(join(data, name), { recursive: true, force: true })
    }
    const dist = join(root, 'dist')
    const shared = {
      NODE_ENV: 'production',
      DATABASE_URL: url,
      ELM_ROOT: root,
      ELM_DIST: dist,
      ELM_SESSION_SECRET: secrets.session,
      ELM_GATEWAY_SECRET: secrets.gateway,
      ELM_GATEWAYS: ports.gateways.map(addressesOf).join(','),
      ELM_GATEWAY_DATA: join(data, 'gateways'),
      ELM_GATEWAY_AUTHORITY: join(data, 'gateways', 'authority.crt'),
      ELM_GATEWAY_FOLDERS: join(data, 'clusters'),
      ELM_STANDIN_PORT: String(ports.standins),
      ELM_STANDIN_MAIL: String(ports.mail),
      ELM_SMTP_URL: `smtp://127.0.0.1:${ports.mail}`,
      ELM_MAIL_FROM: 'Elm Ledger <ledger@brackenmere.example>',
      ELM_STANDIN_CLIENT_SECRET: secrets.issuer,
      ELM_WEB: `http://127.0.0.1:${port}`,
      ELM_ALLOWED_TARGETS: `127.0.0.1:${ports.standins}`,
      ELM_SETUP_CODE: demo ? '' : setupCode(),
      ELM_STANDIN_DATA: join(data, 'standins'),
      ELM_KEYS: join(data, 'keys'),
      ELM_WITNESS: `http://127.0.0.1:${ports.standins}/witness`,
      ELM_RESERVED: reservedAddresses(ports, url).join(','),
      ELM_DEFINITIONS: join(root, 'demo/definitions'),
      ...env,
    }
    mkdirSync(shared.ELM_GATEWAY_FOLDERS, { recursive: true })
    await step('Stand-ins', () =>
      processes
        .start('standins', join(dist, 'standins.mjs'), shared, { keepAlive: true })
        .then(() => `on 127.0.0.1:${ports.standins}`),
    )
    const startGateways = () =>
      Promise.all(
        ports.gateways.map((gateway) =>
          processes.start(
            gateway.name,
            join(dist, 'gateway.mjs'),
            {
              ...shared,
              ELM_GATEWAY: addressesOf(gateway),
              ELM_GATEWAY_SECRET: gatewaySecret(secrets.gateway, gateway),
            },
            { keepAlive: true },
          ),
        ),
      )
    await step('Gateways', () =>
      startGateways().then(() =>
        ports.gateways.map(({ name, data: d }) => `${name} on ${d}`).join(', '),
      ),
    )
    const once = (script, more = {}) =>
      command(process.execPath, ['--enable-source-maps', join(dist, script)], {
        env: { ...process.env, ...shared, ...more },
        fix: 'npm start -- --fresh rebuilds the demo data.',
      })
    await step('Schema', () => once('migrate.mjs', { ELM_OWNER_URL: owner }).then(() => undefined))
    if (demo) {
      await step('Demo data', async () => {
        const said = await once('demo.mjs', { ELM_OWNER_URL: owner })
        return said.trim() === '' ? 'already there' : 'seeded'
      })
    }
    const startWorker = () =>
      processes.start('worker', join(dist, 'worker.mjs'), shared, {
        keepAlive: true,
        // What is counted at once lives until it is written: copied about in a small space, it takes twice as long.
        flags: ['--max-semi-space-size=128'],
      })
    await step('Worker', () => startWorker().then(() => undefined))
    await step('Web app', async () => {
      const web = processes.start(
        'web',
        join(root, '.output/server/index.mjs'),
        { ...shared, PORT: String(port), HOST: '127.0.0.1' },
        { keepAlive: true },
      )
      await Promise.race([web, answers(`http://127.0.0.1:${port}/api/v1/self`)])
      return `on 127.0.0.1:${port}`
    })
    return {
      address: `http://127.0.0.1:${port}`,
      ports,
      processes,
      postgres,
      env: shared,
      demo,
      startWorker,
      startGateways,
      down,
    }
  } catch (error) {
    await down()
    throw error
  }
}

/** A code to read from the terminal, in groups that are easily told apart. */
const setupCode = () => randomBytes(12).toString('hex').match(/.{6}/g).join('-')

/** A gateway with its data, its admin and its TLS port, as processes are told. */
const addressesOf = ({ name, data, admin, tls }) => `${name}:${data}:${admin}:${tls}`

/** What listens here and is no backend: admin ports, the database, the app itself. */
const reservedAddresses = ({ web, gateways }, databaseUrl) => {
  const { hostname, port } = new URL(databaseUrl)
  return [
    ...gateways.map(({ admin }) => `http://127.0.0.1:${admin}`),
    `http://127.0.0.1:${web}`,
    `http://${hostname}:${port || 5432}`,
  ]
}

async function reach(url) {
  const { default: pg } = await import('pg')
  const client = new pg.Client({ connectionString: url, connectionTimeoutMillis: 5000 })
  try {
    await client.connect()
    await client.end()
  } catch (error) {
    throw new StepError(
      `The database at DATABASE_URL does not answer: ${error.message}`,
      'Start it, or unset DATABASE_URL to use one of our own.',
    )
  }
}

async function answers(url) {
  for (let tries = 0; tries < 300; tries++) {
    const answer = await fetch(url).catch(() => undefined)
    if (answer?.status === 401) return
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  throw new StepError(`The web app did not answer at ${url}.`, 'Read .data/logs/web.log.')
}
