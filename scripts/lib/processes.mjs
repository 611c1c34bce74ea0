import { spawn } from 'node:child_process'
import { createWriteStream, mkdirSync } from 'node:fs'
import { join } from 'node:path'
import { StepError } from './steps.mjs'

const readyWithin = 60_000

/** Starts processes, keeps their output in files, starts again those that must always run, and stops them all. */
export class Processes {
  #running = new Map()
  #stopping = false

  constructor(logs) {
    this.logs = logs
    mkdirSync(logs, { recursive: true })
  }

  /** Starts a script and waits until it says it is ready. */
  async start(name, script, env, { keepAlive = false, flags = [] } = {}) {
    const child = spawn(process.execPath, ['--enable-source-maps', ...flags, script], {
      env: { ...process.env, ...env },
      stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
      detached: true,
    })
    const log = createWriteStream(join(this.logs, `${name}.log`), { flags: 'a' })
    child.stdout.pipe(log, { end: false })
    child.stderr.pipe(log, { end: false })
    let last = ''
    child.stderr.on('data', (chunk) => (last = (last + chunk).slice(-1500)))
    this.#running.set(name, child)
    child.on('exit', (code, signal) => {
      if (this.#stopping || this.#running.get(name) !== child) return
      console.error(
        `${name} ended (${signal ?? code})${keepAlive ? '; starting it again' : `. Its last words:\n${last}`}`,
      )
      if (keepAlive)
        setTimeout(
          () =>
            !this.#stopping &&
            void this.start(name, script, env, { keepAlive, flags }).catch(() => undefined),
          500,
        )
    })
    await new Promise((resolve, reject) => {
      const late = setTimeout(
        () =>
          reject(
            new StepError(
              `${name} was not ready within a minute.\n${last}`,
              `Read ${this.logs}/${name}.log.`,
            ),
          ),
        readyWithin,
      )
      child.once('message', () => (clearTimeout(late), resolve()))
      child.once('exit', (code) => {
        clearTimeout(late)
        reject(
          new StepError(`${name} ended with ${code}.\n${last}`, `Read ${this.logs}/${name}.log.`),
        )
      })
    })
    return child
  }

  /** The process that runs under a name. */
  pid(name) {
    return this.#running.get(name)?.pid
  }

  /** Ends what runs under a name at once and for good. */
  stop(name) {
    const child = this.#running.get(name)
    this.#running.delete(name)
    return ended(child)
  }

  /** Ends everything, last started first. */
  async stopAll() {
    this.#stopping = true
    for (const child of [...this.#running.values()].reverse()) await ended(child)
    this.#running.clear()
  }
}

function ended(child) {
  return new Promise((resolve) => {
    if (!child || child.exitCode !== null || child.signalCode !== null) return resolve()
    const hard = setTimeout(() => child.kill('SIGKILL'), 4000)
    child.once('exit', () => (clearTimeout(hard), resolve()))
    child.kill('SIGTERM')
  })
}
