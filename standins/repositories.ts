import { execFile, spawn } from 'node:child_process'
import { createHmac, randomUUID } from 'node:crypto'
import {
  existsSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs'
import type http from 'node:http'
import { join } from 'node:path'

/** Whom a repository tells of what is pushed to it. */
interface Hook {
  url: string
  secret: string
}

/** What somebody said of a commit. */
interface Status {
  state: string
  context: string
  description: string
  targetUrl: string
}

interface Delivery {
  at: string
  ref: string
  /** The status that it was answered with; 0 where nobody answered. */
  status: number
}

interface Kept {
  hook?: Hook
  statuses: Record<string, Status>
  deliveries: Delivery[]
}

/** A change of one file that becomes a commit. */
export interface Change {
  branch: string
  path: string
  text: string
  message: string
  author: string
}

const nobody = '0'.repeat(40)
const mostBytes = 4 * 1024 * 1024
const named = /^[a-z0-9][a-z0-9-]{0,60}$/

const escaped = (text: string) => text.replace(/[&<>"']/g, (sign) => `&#${sign.charCodeAt(0)};`)

/**
 * A host of git repositories: real git over HTTP (what `git http-backend` serves), a signed webhook (Standard Webhooks)
 * for each branch or tag that a push moves, statuses of commits, and a page to try it all from.
 */
export class RepositoryHost {
  private readonly kept = new Map<string, Kept>()

  /** Reading is open to everybody; who reports a status has the token. */
  constructor(
    private readonly folder: string,
    private readonly token: string,
  ) {
    mkdirSync(folder, { recursive: true })
  }

  /** Makes a repository with a first commit, where it is not there yet. */
  async create(name: string, files: Record<string, string>): Promise<void> {
    if (existsSync(this.gitdir(name))) return
    const half = this.gitdir(`${name}.new`)
    rmSync(half, { recursive: true, force: true })
    await this.git(half, ['init', '--quiet', '--bare', '--initial-branch=main', half])
    await this.git(half, ['config', 'http.receivepack', 'true'])
    // Who fetches one commit alone may ask for it by name.
    await this.git(half, ['config', 'uploadpack.allowAnySHA1InWant', 'true'])
    const author = 'Nadia Corrie'
    await this.commitIn(half, 'main', files, 'Describe readings', author)
    renameSync(half, this.gitdir(name))
  }

  /** Commits a change, as whoever pushes it would, and tells the webhook. */
  async commit(name: string, { branch, path, text, message, author }: Change): Promise<string> {
    const before = await this.refsOf(name)
    const commit = await this.commitIn(
      this.gitdir(name),
      branch,
      { [path]: text },
      message,
      author,
      before.get('refs/heads/main'),
    )
    await this.tellOf(name, before)
    return commit
  }

  /** Names the commit that a branch is at. */
  async tag(name: string, tag: string, branch: string): Promise<void> {
    const before = await this.refsOf(name)
    await this.git(this.gitdir(name), ['tag', '--', tag, `refs/heads/${branch}`])
    await this.tellOf(name, before)
  }

  setHook(name: string, hook: Hook): void {
    this.keep(name, (kept) => (kept.hook = hook))
  }

  statusOf = (name: string, commit: string): Status | undefined =>
    this.keptOf(name).statuses[commit]

  deliveriesOf = (name: string): Delivery[] => this.keptOf(name).deliveries

  private gitdir = (name: string) => join(this.folder, `${name}.git`)

  private async commitIn(
    gitdir: string,
    branch: string,
    files: Record<string, string>,
    message: string,
    author: string,
    /** What a new branch begins from. */
    base?: string,
  ): Promise<string> {
    const ref = `refs/heads/${branch}`
    const own = await this.git(gitdir, ['for-each-ref', '--format=%(objectname)', ref])
    const parent = own === '' ? base : own
    const index = join(gitdir, `index-${randomUUID()}`)
    const who = {
      GIT_INDEX_FILE: index,
      GIT_AUTHOR_NAME: author,
      GIT_COMMITTER_NAME: author,
      GIT_AUTHOR_EMAIL: 'pushed@brackenmere.example',
      GIT_COMMITTER_EMAIL: 'pushed@brackenmere.example',
    }
    try {
      if (parent) await this.git(gitdir, ['read-tree', parent], who)
      for (const [path, text] of Object.entries(files)) {
        const blob = await this.git(gitdir, ['hash-object', '-w', '--stdin'], {}, text)
        await this.git(
          gitdir,
          ['update-index', '--add', '--cacheinfo', `100644,${blob},${path}`],
          who,
        )
      }
      const tree = await this.git(gitdir, ['write-tree'], who)
      const parents = parent ? ['-p', parent] : []
      const commit = await this.git(gitdir, ['commit-tree', tree, ...parents, '-m', message], who)
      await this.git(gitdir, ['update-ref', ref, commit, own === '' ? nobody : own], who)
      return commit
    } finally {
      rmSync(index, { force: true })
    }
  }

  private git(gitdir: string, args: string[], env: object = {}, input = ''): Promise<string> {
    return new Promise((resolve, reject) => {
      const child = execFile(
        'git',
        args,
        { env: { PATH: process.env['PATH'], HOME: this.folder, GIT_DIR: gitdir, ...env } },
        (error, output, said) =>
          error ? reject(new Error(said || error.message)) : resolve(output.trim()),
      )
      // It may have ended without reading.
      child.stdin?.on('error', () => undefined)
      child.stdin?.end(input)
    })
  }

  /** Branches and tags with the commit that each is at. */
  private async refsOf(name: string): Promise<Map<string, string>> {
    const said = await this.git(this.gitdir(name), [
      'for-each-ref',
      '--format=%(refname) %(objectname) %(*objectname)',
    ])
    return new Map(
      said
        .split('\n')
        .filter(Boolean)
        .map((line) => {
          const [ref = '', own = '', peeled = ''] = line.split(' ')
          return [ref, peeled === '' ? own : peeled]
        }),
    )
  }

  private async tellOf(name: string, before: Map<string, string>): Promise<void> {
    const after = await this.refsOf(name)
    for (const ref of new Set([...before.keys(), ...after.keys()])) {
      const [was, is] = [before.get(ref) ?? nobody, after.get(ref) ?? nobody]
      if (was !== is) void this.deliver(name, { ref, before: was, after: is })
    }
  }

  private async deliver(name: string, data: { ref: string; before: string; after: string }) {
    const { hook } = this.keptOf(name)
    if (!hook) return
    const id = `push-${randomUUID()}`
    const body = JSON.stringify({ type: 'push', timestamp: new Date().toISOString(), data })
    for (let tries = 0; tries < 4; tries++) {
      const time = String(Math.floor(Date.now() / 1000))
      const signature = createHmac(
        'sha256',
        Buffer.from(hook.secret.slice('whsec_'.length), 'base64'),
      )
        .update(`${id}.${time}.${body}`)
        .digest('base64')
      const status = await fetch(hook.url, {
        method: 'POST',
        headers: {
          'content-type': 'application/json',
          'webhook-id': id,
          'webhook-timestamp': time,
          'webhook-signature': `v1,${signature}`,
        },
        body,
        signal: AbortSignal.timeout(10_000),
      }).then(
        (response) => response.status,
        () => 0,
      )
      this.keep(name, ({ deliveries }) => {
        deliveries.unshift({ at: new Date().toISOString(), ref: data.ref, status })
        deliveries.splice(20)
      })
      if (status > 0 && status < 500) return
      await new Promise((resolve) => setTimeout(resolve, 1000 * 2 ** tries))
    }
  }

  private keptOf(name: string): Kept {
    let kept = this.kept.get(name)
    if (!kept) {
      const file = join(this.folder, `${name}.json`)
      kept = existsSync(file)
        ? (JSON.parse(readFileSync(file, 'utf8')) as Kept)
        : { statuses: {}, deliveries: [] }
      this.kept.set(name, kept)
    }
    return kept
  }

  private keep(name: string, change: (kept: Kept) => void): void {
    const kept = this.keptOf(name)
    change(kept)
    writeFileSync(join(this.folder, `${name}.json`), JSON.stringify(kept))
  }

  /** Mounted at `/git`. */
  readonly listener: http.RequestListener = (request, response) => {
    const url = new URL(request.url ?? '/', 'http://standin')
    this.answer(url, request, response).catch((error: Error) => {
      if (!response.headersSent) response.writeHead(422, { 'Content-Type': 'text/plain' })
      response.end(error.message)
    })
  }

  private async answer(url: URL, request: http.IncomingMessage, response: http.ServerResponse) {
    const [, , first = '', ...rest] = url.pathname.split('/')
    const name = first.replace(/\.git$/, '')
    if (first === '') return this.show(response, this.listed())
    if (!named.test(name) || !existsSync(this.gitdir(name))) {
      response.writeHead(404, { 'Content-Type': 'text/plain' }).end('There is no such repository')
      return
    }
    if (first.endsWith('.git')) return this.serve(name, url, rest.join('/'), request, response)
    if (request.method === 'GET')
      return this.show(response, await this.shown(name, url.searchParams))
    const body = await textOf(request)
    if (rest[0] === 'statuses' && rest[1] !== undefined) {
      if (request.headers.authorization !== `Bearer ${this.token}`) {
        response.writeHead(401).end()
        return
      }
      const { state, context, description, target_url } = JSON.parse(body) as Record<string, string>
      const status = { state, context, description, targetUrl: target_url } as Status
      this.keep(name, ({ statuses }) => (statuses[rest[1]!] = status))
      response.writeHead(201).end()
      return
    }
    const form = new URLSearchParams(body)
    const field = (key: string) => (form.get(key) ?? '').trim()
    if (rest[0] === 'hook') this.setHook(name, { url: field('url'), secret: field('secret') })
    else if (rest[0] === 'tags') await this.tag(name, field('tag'), field('branch'))
    else
      await this.commit(name, {
        branch: field('branch'),
        path: field('path'),
        text: `${field('text').replaceAll('\r\n', '\n')}\n`,
        message: field('message') || 'Change it',
        author: field('author') || 'Nadia Corrie',
      })
    response.writeHead(303, { Location: `/git/${name}` }).end()
  }

  /** What `git http-backend` answers (RFC 3875, CGI). */
  private async serve(
    name: string,
    url: URL,
    path: string,
    request: http.IncomingMessage,
    response: http.ServerResponse,
  ) {
    const isPush = path === 'git-receive-pack'
    const before = isPush ? await this.refsOf(name) : undefined
    const child = spawn('git', ['http-backend'], {
      env: {
        PATH: process.env['PATH'],
        HOME: this.folder,
        GIT_PROJECT_ROOT: this.folder,
        GIT_HTTP_EXPORT_ALL: '1',
        PATH_INFO: `/${name}.git/${path}`,
        QUERY_STRING: url.search.slice(1),
        REQUEST_METHOD: request.method,
        CONTENT_TYPE: request.headers['content-type'],
        HTTP_CONTENT_ENCODING: request.headers['content-encoding'],
        GIT_PROTOCOL: request.headers['git-protocol']?.toString(),
      },
    })
    request.pipe(child.stdin)
    child.stdin.on('error', () => undefined)
    const said: Buffer[] = []
    child.stdout.on('data', (part: Buffer) => said.push(part))
    await new Promise((resolve) => child.on('close', resolve))
    const all = Buffer.concat(said)
    const end = all.indexOf('\r\n\r\n')
    const headers = all.subarray(0, Math.max(0, end)).toString('latin1').split('\r\n')
    let status = end < 0 ? 500 : 200
    for (const line of headers) {
      const [key = '', ...value] = line.split(': ')
      if (key === 'Status') status = parseInt(value.join(': '))
      else if (key !== '') response.setHeader(key, value.join(': '))
    }
    response.writeHead(status).end(all.subarray(end + 4))
    if (before) await this.tellOf(name, before)
  }

  private show(response: http.ServerResponse, inner: string) {
    response
      .writeHead(200, {
        'Content-Type': 'text/html; charset=utf-8',
        'Content-Security-Policy':
          "default-src 'none'; style-src 'unsafe-inline'; form-action 'self'",
      })
      .end(
        `<!doctype html><html lang="en"><meta charset="utf-8"><title>Repositories</title>
<style>body{font:15px/1.5 sans-serif;max-width:60em;margin:2em auto;padding:0 1em}textarea{width:100%;height:22em;font:13px monospace}
td,th{text-align:left;padding:.2em 1em .2em 0}label{display:block;margin:.5em 0}fieldset{margin:1em 0}</style>${inner}</html>`,
      )
  }

  private listed(): string {
    const names = readdirSync(this.folder).flatMap((file) => /^(.*)\.git$/.exec(file)?.[1] ?? [])
    return `<h1>Repositories</h1><p>A stand-in for the host that an organisation has.</p><ul>${names
      .map((name) => `<li><a href="/git/${name}">${name}</a></li>`)
      .join('')}</ul>`
  }

  private async shown(name: string, query: URLSearchParams): Promise<string> {
    const refs = await this.refsOf(name)
    const branches = [...refs.keys()].flatMap((ref) => /^refs\/heads\/(.*)$/.exec(ref)?.[1] ?? [])
    const branch = branches.find((one) => one === query.get('branch')) ?? branches[0] ?? 'main'
    const gitdir = this.gitdir(name)
    const files = (await this.git(gitdir, ['ls-tree', '-r', '--name-only', branch])).split('\n')
    const path = files.find((file) => file === query.get('path')) ?? files[0] ?? ''
    const text = await this.git(gitdir, ['show', `${branch}:${path}`])
    const log = await this.git(gitdir, ['log', '-20', '--format=%H%x09%an%x09%s', branch])
    const commits = log.split('\n').map((line) => {
      const [commit = '', author = '', message = ''] = line.split('\t')
      const status = this.statusOf(name, commit)
      const told = status ? `${status.state}: ${status.description}` : ''
      const link = /^https?:/.test(status?.targetUrl ?? '')
        ? `<a href="${escaped(status!.targetUrl)}">${escaped(told)}</a>`
        : escaped(told)
      return `<tr><td><code>${commit.slice(0, 10)}</code></td><td>${escaped(message)}</td><td>${escaped(author)}</td><td>${link}</td></tr>`
    })
    const { hook, deliveries } = this.keptOf(name)
    const told = deliveries.map(
      ({ at, ref, status }) =>
        `<tr><td>${at}</td><td>${escaped(ref)}</td><td>${status || 'no response'}</td></tr>`,
    )
    const links = (list: string[], key: string, now: string) =>
      list
        .map((one) =>
          one === now
            ? `<b>${escaped(one)}</b>`
            : `<a href="?${new URLSearchParams({ branch, [key]: one }).toString()}">${escaped(one)}</a>`,
        )
        .join(' · ')
    return `<h1>${name}</h1><p><code>git clone ${name}.git</code> from this address; <code>git push</code> works too.</p>
<p>${links(branches, 'branch', branch)}</p><p>${links(files, 'path', path)}</p>
<form method="post" action="/git/${name}/commits"><input type="hidden" name="path" value="${escaped(path)}">
<label>Text of ${escaped(path)}<textarea name="text" spellcheck="false">\n${escaped(text)}</textarea></label>
<label>Message <input name="message" size="50" value="Change ${escaped(path)}"></label>
<label>Branch <input name="branch" value="${escaped(branch)}"></label><button>Commit and push</button></form>
<form method="post" action="/git/${name}/tags"><input type="hidden" name="branch" value="${escaped(branch)}">
<label>Tag <input name="tag" value=""></label><button>Tag ${escaped(branch)}</button></form>
<h2>Commits of ${escaped(branch)}</h2><table>${commits.join('')}</table>
<fieldset><legend>Webhook</legend><form method="post" action="/git/${name}/hook">
<label>Address <input name="url" size="60" value="${escaped(hook?.url ?? '')}"></label>
<label>Secret <input name="secret" size="60" autocomplete="off"></label><button>Set</button></form>
<table>${told.join('')}</table></fieldset>`
  }
}

async function textOf(request: http.IncomingMessage): Promise<string> {
  const parts: Buffer[] = []
  let size = 0
  for await (const part of request as AsyncIterable<Buffer>) {
    size += part.length
    if (size > mostBytes) throw new Error('The request is too large.')
    parts.push(part)
  }
  return Buffer.concat(parts).toString('utf8')
}
