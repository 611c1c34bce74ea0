import { spawn, spawnSync } from 'node:child_process'
import { createHash, randomBytes } from 'node:crypto'
import {
  chmodSync,
  chownSync,
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
  openSync,
} from 'node:fs'
import { dirname, join } from 'node:path'
import { command, installDebian, isRoot, which } from './commands.mjs'
import { StepError } from './steps.mjs'

const installed = '/usr/lib/postgresql'

function binaries() {
  if (existsSync(installed)) {
    const versions = readdirSync(installed)
      .filter((version) => existsSync(join(installed, version, 'bin/initdb')))
      .sort((a, b) => Number(b) - Number(a))
    if (versions[0]) return join(installed, versions[0], 'bin')
  }
  const path = which('initdb')
  return path && dirname(path)
}

/** PostgreSQL refuses to run as root; then the `postgres` user that Debian's package makes runs it. */
function unprivileged() {
  if (!isRoot()) return undefined
  const id = (flag) => Number(spawnSync('id', [flag, 'postgres'], { encoding: 'utf8' }).stdout)
  const [uid, gid] = [id('-u'), id('-g')]
  if (!uid)
    throw new StepError(
      'There is no user called postgres to run the database.',
      'useradd --system postgres',
    )
  return { uid, gid }
}

/** A folder the database's user can reach: below `.data`, or beside it where a parent folder is closed to that user. */
function clusterFolder(wanted, user) {
  mkdirSync(dirname(wanted), { recursive: true })
  if (!user) return wanted
  const reachable = spawnSync('test', ['-x', dirname(wanted)], { ...user, cwd: '/' }).status === 0
  if (reachable) return wanted
  const name = createHash('sha256').update(wanted).digest('hex').slice(0, 12)
  const folder = `/var/lib/elm-ledger/${name}`
  mkdirSync(dirname(folder), { recursive: true })
  if (!existsSync(wanted)) {
    rmSync(folder, { recursive: true, force: true })
    rmSync(wanted, { force: true })
    symlinkSync(folder, wanted)
  }
  return folder
}

/** Makes sure there is a PostgreSQL server to run. */
export async function ensurePostgresInstalled() {
  if (binaries()) return 'already there'
  await installDebian(['postgresql'], 'PostgreSQL')
}

/**
 * Starts a cluster of this installation's own on loopback, making it first where there is none. With `keepAlive` a server
 * that ends by itself is started again.
 */
export async function startPostgres({ folder: wanted, port, settings = {}, keepAlive = false }) {
  const bin = binaries()
  const user = unprivileged()
  const folder = clusterFolder(wanted, user)
  const passwordFile = `${wanted}.password`
  const run = { ...user, cwd: '/' }
  if (!existsSync(join(folder, 'PG_VERSION'))) {
    rmSync(folder, { recursive: true, force: true })
    mkdirSync(folder, { recursive: true, mode: 0o700 })
    const password = randomBytes(18).toString('base64url')
    writeFileSync(passwordFile, password, { mode: 0o600 })
    const handed = join('/tmp', `elm-${randomBytes(8).toString('hex')}`)
    writeFileSync(handed, password, { mode: 0o600 })
    if (user) {
      chownSync(folder, user.uid, user.gid)
      chownSync(handed, user.uid, user.gid)
    }
    const args = [
      '-D',
      folder,
      '-U',
      'elm',
      `--pwfile=${handed}`,
      '--auth=scram-sha-256',
      '-E',
      'UTF8',
      '--locale=C.UTF-8',
      '--no-sync',
    ]
    try {
      await command(join(bin, 'initdb'), args, run)
    } finally {
      rmSync(handed)
    }
  }
  stopLeftover(bin, folder, run)
  const log = openSync(`${wanted}.log`, 'a')
  chmodSync(`${wanted}.log`, 0o600)
  const options = { listen_addresses: '127.0.0.1', port, unix_socket_directories: '', ...settings }
  const args = Object.entries(options).flatMap(([name, value]) => ['-c', `${name}=${value}`])
  const url = `postgres://elm:${readFileSync(passwordFile, 'utf8')}@127.0.0.1:${port}`
  let meant = false
  let child
  const start = () => {
    meant = false
    child = spawn(join(bin, 'postgres'), ['-D', folder, ...args], {
      ...run,
      stdio: ['ignore', log, log],
      detached: true,
    })
    child.on('exit', (code, signal) => {
      if (meant || !keepAlive) return
      console.error(`PostgreSQL ended (${signal ?? code}); starting it again`)
      setTimeout(() => {
        if (meant) return
        stopLeftover(bin, folder, run)
        start()
      }, 500)
    })
  }
  const stop = () => {
    meant = true
    return ended(child, 'SIGINT')
  }
  start()
  await answering(url, () => child.exitCode !== null, `${wanted}.log`)
  return {
    url,
    pid: () => child.pid,
    /** Stops it within moments, ending open connections. */
    stop,
    /** For tests of recovery. */
    restart: async () => {
      await stop()
      start()
      await answering(url, () => child.exitCode !== null, `${wanted}.log`)
    },
  }
}

/** A server left over from a run that was killed would hold the folder. */
function stopLeftover(bin, folder, run) {
  if (!existsSync(join(folder, 'postmaster.pid'))) return
  spawnSync(join(bin, 'pg_ctl'), ['-D', folder, 'stop', '-m', 'fast', '-w'], {
    ...run,
    stdio: 'ignore',
  })
}

const ended = (child, signal) =>
  new Promise((resolve) => {
    if (child.exitCode !== null || child.signalCode !== null) return resolve()
    child.once('exit', () => resolve())
    child.kill(signal)
  })

async function answering(url, hasEnded, log) {
  const { default: pg } = await import('pg')
  for (let tries = 0; tries < 150; tries++) {
    if (hasEnded()) break
    const client = new pg.Client({ connectionString: `${url}/postgres` })
    client.on('error', () => undefined)
    try {
      await client.connect()
      await client.end()
      return
    } catch {
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
  }
  throw new StepError(
    `PostgreSQL did not start. Its last words:\n${readFileSync(log, 'utf8').slice(-1500)}`,
    `Read ${log}.`,
  )
}

/** Makes the database where it is not there; `fresh` throws away what it holds. */
export async function ensureDatabase(serverUrl, name, { fresh = false } = {}) {
  const { default: pg } = await import('pg')
  const client = new pg.Client({ connectionString: `${serverUrl}/postgres` })
  await client.connect()
  try {
    if (fresh) await client.query(`DROP DATABASE IF EXISTS "${name}" WITH (FORCE)`)
    const { rowCount } = await client.query('SELECT 1 FROM pg_database WHERE datname = $1', [name])
    if (rowCount === 0) await client.query(`CREATE DATABASE "${name}"`)
  } finally {
    await client.end()
  }
  return `${serverUrl}/${name}`
}

const literal = (text) => `'${text.replaceAll("'", "''")}'`

/**
 * Two roles for a database of this installation's own: one owns the schema and runs migrations, the other is what the
 * application connects as. Neither is superuser, and only grants decide what the second may do to the first's tables.
 */
export async function ensureRoles(serverUrl, name, { owner, application }) {
  const { default: pg } = await import('pg')
  const client = new pg.Client({ connectionString: `${serverUrl}/${name}` })
  await client.connect()
  try {
    for (const [role, password] of [
      ['elm_owner', owner],
      ['elm_app', application],
    ]) {
      const { rowCount } = await client.query('SELECT 1 FROM pg_roles WHERE rolname = $1', [role])
      await client.query(
        `${rowCount ? 'ALTER' : 'CREATE'} ROLE ${role} LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE NOBYPASSRLS PASSWORD ${literal(password)}`,
      )
    }
    await client.query(`ALTER DATABASE "${name}" OWNER TO elm_owner`)
    await client.query(`REVOKE CREATE, TEMPORARY ON DATABASE "${name}" FROM PUBLIC`)
    await client.query(`GRANT CONNECT, CREATE ON DATABASE "${name}" TO elm_app`)
    await client.query(`DO $$
      DECLARE part record;
      BEGIN
        FOR part IN SELECT nspname FROM pg_namespace WHERE nspname IN ('public', 'drizzle', 'pgboss') LOOP
          EXECUTE format('ALTER SCHEMA %I OWNER TO %I', part.nspname,
            CASE part.nspname WHEN 'pgboss' THEN 'elm_app' ELSE 'elm_owner' END);
        END LOOP;
        FOR part IN
          SELECT n.nspname, c.relname, c.relkind FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
          WHERE n.nspname IN ('public', 'drizzle', 'pgboss') AND c.relkind IN ('r', 'p', 'v', 'S')
            AND NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.objid = c.oid AND d.deptype IN ('a', 'i', 'e') AND c.relkind = 'S')
        LOOP
          EXECUTE format('ALTER %s %I.%I OWNER TO %I',
            CASE part.relkind WHEN 'v' THEN 'VIEW' WHEN 'S' THEN 'SEQUENCE' ELSE 'TABLE' END, part.nspname, part.relname,
            CASE part.nspname WHEN 'pgboss' THEN 'elm_app' ELSE 'elm_owner' END);
        END LOOP;
        FOR part IN
          SELECT n.nspname, p.oid::regprocedure AS signature FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
          WHERE n.nspname IN ('public', 'pgboss') AND NOT EXISTS (SELECT 1 FROM pg_depend d WHERE d.objid = p.oid AND d.deptype = 'e')
        LOOP
          EXECUTE format('ALTER FUNCTION %s OWNER TO %I', part.signature,
            CASE part.nspname WHEN 'pgboss' THEN 'elm_app' ELSE 'elm_owner' END);
        END LOOP;
        FOR part IN
          SELECT n.nspname, t.typname FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace
          WHERE n.nspname = 'pgboss' AND t.typtype = 'e'
        LOOP
          EXECUTE format('ALTER TYPE %I.%I OWNER TO elm_app', part.nspname, part.typname);
        END LOOP;
      END $$`)
  } finally {
    await client.end()
  }
  const as = (role, password) => {
    const url = new URL(`${serverUrl}/${name}`)
    url.username = role
    url.password = password
    return url.href
  }
  return { owner: as('elm_owner', owner), application: as('elm_app', application) }
}

/** Empties a database that somebody else made. */
export async function emptyDatabase(url) {
  const { default: pg } = await import('pg')
  const client = new pg.Client({ connectionString: url })
  await client.connect()
  try {
    for (const schema of ['public', 'drizzle', 'pgboss'])
      await client.query(`DROP SCHEMA IF EXISTS ${schema} CASCADE`)
    await client.query('CREATE SCHEMA public')
  } finally {
    await client.end()
  }
}
