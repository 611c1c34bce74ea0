import { spawn, spawnSync } from 'node:child_process'
import { StepError } from './steps.mjs'

export const isRoot = () => process.getuid?.() === 0

/** Runs a command to its end; its output is kept for the error and shown where `show` is set. */
export function command(program, args, { show = false, fix, ...options } = {}) {
  return new Promise((resolve, reject) => {
    const child = spawn(program, args, {
      stdio: show ? 'inherit' : ['ignore', 'pipe', 'pipe'],
      ...options,
    })
    let output = ''
    const keep = (chunk) => (output = (output + chunk).slice(-6000))
    child.stdout?.on('data', keep)
    child.stderr?.on('data', keep)
    child.on('error', (error) => reject(new StepError(`${program}: ${error.message}`, fix)))
    child.on('close', (code) =>
      code === 0
        ? resolve(output)
        : reject(new StepError(`${program} ${args.join(' ')} ended with ${code}.\n${output}`, fix)),
    )
  })
}

/** Where a program is, or undefined. */
export function which(program) {
  const found = spawnSync('sh', ['-c', `command -v ${program}`], { encoding: 'utf8' })
  return found.status === 0 ? found.stdout.trim() : undefined
}

/** Git, which the stand-in host of repositories serves them with. */
export async function ensureGit() {
  if (which('git')) return 'already there'
  await installDebian(['git'], 'Git')
  return undefined
}

let listsFresh = false

/** Installs Debian packages where that is permitted; otherwise says the exact command. */
export async function installDebian(packages, why) {
  const line = `sudo apt-get update && sudo apt-get install -y ${packages.join(' ')}`
  if (!isRoot()) throw new StepError(`${why} is missing and only root may install it.`, line)
  const env = { ...process.env, DEBIAN_FRONTEND: 'noninteractive' }
  if (!listsFresh) await command('apt-get', ['update', '-qq'], { env, fix: line })
  listsFresh = true
  await command('apt-get', ['install', '-y', '-qq', '--no-install-recommends', ...packages], {
    env,
    fix: line,
  })
}
