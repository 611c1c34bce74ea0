import git, {
  type GitHttpRequest,
  type GitHttpResponse,
  type HttpClient,
  type PromiseFsClient,
} from 'isomorphic-git'
import { Readable } from 'node:stream'
import { memfs } from 'memfs'
import { request } from 'undici'
import { errorText } from '../../core/text/values'
import { Failure } from './failure'
import { whyNotUnpacked } from './git-pack'
import { parseAddress, pinnedTo } from './guard'

/** A git repository elsewhere, and what it is read with; an empty token where everybody may read it. */
export interface Remote {
  url: string
  token: string
}

/** A branch or tag, and the commit that it is at. */
export interface Ref {
  ref: string
  commit: string
}

/** A commit with the files that it is asked for. */
export interface Commit {
  commit: string
  author: string
  message: string
  /** A file by its path; undefined where there is none. */
  file: (path: string) => Promise<Uint8Array | undefined>
}

/** Over all that is sent, and of what that is unpacked to. */
const mostBytes = 32 * 1024 * 1024
const mostUnpacked = 192 * 1024 * 1024
const timeoutMs = 60_000

const unread = (detail: string) => new Failure(422, 'The repository cannot be read', detail)

/**
 * HTTP for git under the guard: to public addresses only, nowhere else from there, and within bounds of size and time
 * over all requests of one reading.
 */
function guardedHttp(allowed: string[]): HttpClient {
  const deadline = AbortSignal.timeout(timeoutMs)
  let left = mostBytes
  return {
    async request({ url, method = 'GET', headers = {}, body }: GitHttpRequest) {
      const target = parseAddress(url)
      const dispatcher = await pinnedTo(target, allowed)
      try {
        const sent: Uint8Array[] = []
        for await (const part of body ?? []) sent.push(part)
        const response = await request(target, {
          ...{ method: method as 'GET', dispatcher, signal: deadline, headers },
          ...(body && { body: Buffer.concat(sent) }),
        })
        const parts: Uint8Array[] = []
        for await (const part of response.body as AsyncIterable<Buffer>) {
          left -= part.length
          if (left < 0) throw unread(`It is larger than ${mostBytes / 1024 / 1024} MB.`)
          parts.push(part)
        }
        return {
          ...{ url, method, statusCode: response.statusCode, statusMessage: '' },
          headers: response.headers as Record<string, string>,
          body: Readable.from(parts)[Symbol.asyncIterator]() as AsyncIterableIterator<Uint8Array>,
        } satisfies GitHttpResponse
      } finally {
        void dispatcher.close()
      }
    },
  }
}

/** A file system in memory that takes no pack which would grow beyond bounds: it is written before it is unpacked. */
function boundedMemory() {
  const { promises } = memfs().fs
  const writeFile = (path: string, data: Uint8Array | string, options?: object) => {
    const why =
      path.endsWith('.pack') && typeof data !== 'string'
        ? whyNotUnpacked(data, mostUnpacked)
        : undefined
    return why === undefined
      ? promises.writeFile(path, data, options)
      : Promise.reject(unread(`${why}.`))
  }
  const { readFile, mkdir, rmdir, unlink, stat, lstat, readdir, readlink, symlink } = promises
  const rest = { readFile, mkdir, rmdir, unlink, stat, lstat, readdir, readlink, symlink }
  const bound = Object.fromEntries(
    Object.entries(rest).map(([name, act]) => [name, (act as () => unknown).bind(promises)]),
  )
  return { promises: { ...bound, writeFile } } as unknown as PromiseFsClient
}

/** Any user goes with a token; hosts look at the password alone. */
const signedIn = ({ token }: Remote) => ({
  ...(token !== '' && { onAuth: () => ({ username: 'elm-ledger', password: token }) }),
  // What was refused once is refused again.
  onAuthFailure: () => ({ cancel: true }),
})

/** Says in words why a repository could not be read. */
async function reading<T>({ url, token }: Remote, work: () => Promise<T>): Promise<T> {
  try {
    return await work()
  } catch (error) {
    if (error instanceof Failure) throw error
    const { code, data } = error as { code?: string; data?: { statusCode?: number } }
    const isRefused = data?.statusCode === 401 || data?.statusCode === 403
    if (isRefused || code === 'UserCanceledError')
      throw unread(
        `${url} asks for ${token === '' ? 'a token' : 'another token than the one that is kept'}.`,
      )
    const why = data?.statusCode ? `answered ${data.statusCode}` : `: ${errorText(error)}`
    throw unread(`${url} ${why}.`)
  }
}

/** The branches and tags of a repository; a tag with words of its own is told by the commit that it names. */
export const readRefs = (remote: Remote, allowed: string[]): Promise<Ref[]> =>
  reading(remote, async () => {
    const refs = await git.listServerRefs({
      ...{ http: guardedHttp(allowed), url: remote.url, ...signedIn(remote) },
      ...{ peelTags: true, protocolVersion: 1 as const },
    })
    return refs.map(({ ref, oid, peeled }) => ({ ref, commit: peeled ?? oid }))
  })

/** Fetches the commit that a branch or tag is at, alone, into memory; undefined where there is none. */
export const fetchCommit = (
  remote: Remote,
  ref: string,
  allowed: string[],
): Promise<Commit | undefined> =>
  reading(remote, async () => {
    const fs = boundedMemory()
    const at = { fs, dir: '/', gitdir: '/git' }
    await git.init({ ...at, defaultBranch: 'main' })
    await git.addRemote({ ...at, remote: 'origin', url: remote.url })
    const everything = '+refs/*:refs/remotes/origin/*'
    await git.setConfig({ ...at, path: 'remote.origin.fetch', value: everything })
    const { fetchHead } = await git
      .fetch({
        ...{ ...at, http: guardedHttp(allowed), url: remote.url, ref, ...signedIn(remote) },
        ...{ singleBranch: true, depth: 1, tags: false },
      })
      .catch((error: { code?: string }) => {
        if (error.code === 'NotFoundError') return { fetchHead: null }
        throw error as Error
      })
    if (fetchHead === null) return undefined
    const { oid, commit } = await git.readCommit({ ...at, oid: fetchHead })
    return {
      commit: oid,
      author: commit.author.name,
      message: commit.message.split('\n')[0]!,
      async file(path) {
        try {
          const { blob } = await git.readBlob({ ...at, oid, filepath: path })
          return blob
        } catch (error) {
          const { code } = error as { code?: string }
          // There is nothing, or a folder.
          if (code === 'NotFoundError' || code === 'ObjectTypeError') return undefined
          throw error
        }
      },
    }
  })
