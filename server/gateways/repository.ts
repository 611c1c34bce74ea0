import fs from 'node:fs'
import { open, readFile, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { Failure } from '../services/failure'
import git, { type TreeEntry } from 'isomorphic-git'
import { changedInBetween, type Change, type Running, type Written } from './adapter'
import {
  isRead,
  joined,
  mostBytes,
  mostFiles,
  tooLarge,
  type ClusterFile,
  type FileChange,
} from './file-set'

/** A git repository, with or without a working tree. */
export interface Repository {
  gitdir: string
  /** The working tree; undefined where it is bare. */
  dir: string | undefined
}

export function repositoryIn(folder: string): Repository | undefined {
  const inside = join(folder, '.git')
  // A link would lead to a repository that nobody has named.
  const isOwn = fs.lstatSync(inside, { throwIfNoEntry: false })?.isDirectory() ?? false
  if (isOwn && fs.existsSync(join(inside, 'HEAD'))) return { gitdir: inside, dir: folder }
  const isBare = fs.existsSync(join(folder, 'HEAD')) && fs.existsSync(join(folder, 'objects'))
  return isBare ? { gitdir: folder, dir: undefined } : undefined
}

/** The commit that the branch is at; undefined before the first one. */
const headOf = ({ gitdir }: Repository): Promise<string | undefined> =>
  git.resolveRef({ fs, gitdir, ref: 'HEAD' }).catch((error: { code?: string }) => {
    if (error.code === 'NotFoundError') return undefined
    throw error as Error
  })

const noCommit = 'no commit yet'

/** What is committed: that is what clusters are fed, whatever lies in the working tree. */
export async function readCommitted(repository: Repository, name: string): Promise<Running> {
  const { gitdir } = repository
  const oid = await headOf(repository)
  if (oid === undefined) return joined(name, [], noCommit)
  const found: ClusterFile[] = []
  let bytes = 0
  for (const path of await git.listFiles({ fs, gitdir, ref: oid })) {
    if (!isRead(path.split('/').at(-1)!)) continue
    const { blob } = await git.readBlob({ fs, gitdir, oid, filepath: path })
    bytes += blob.length
    if (bytes > mostBytes || found.length === mostFiles) throw tooLarge(name)
    found.push({ path, text: Buffer.from(blob).toString('utf8') })
  }
  return joined(name, found, oid)
}

/** Says whose lock of a branch it is: one of ours that is still there was left by a process that is dead. */
const ours = 'elm-ledger\n'

/**
 * Commits changes of files at the top of a repository, if its branch is still where it was read. The branch moves last, so
 * that all of it is there or nothing; while it does, its lock keeps git itself from moving it.
 */
export async function commitFiles(
  repository: Repository,
  changes: readonly FileChange[],
  { author, message }: Pick<Change, 'author' | 'message'>,
  etag: string,
): Promise<Written> {
  const { gitdir } = repository
  const branch = await branchOf(repository)
  const lock = join(gitdir, `${branch}.lock`)
  if (!(await take(lock))) return changedInBetween
  try {
    const head = await headOf(repository)
    if ((head ?? noCommit) !== etag) return changedInBetween
    const tree = await treeWith(repository, head, changes)
    const who = { name: author, email: 'elm-ledger@localhost' }
    await git.commit({
      ...{ fs, gitdir, message, tree, ref: branch },
      ...{ author: who, committer: { ...who, name: 'Elm Ledger' } },
      parent: head === undefined ? [] : [head],
    })
  } finally {
    await rm(lock, { force: true })
  }
  await showInTree(repository, changes)
  return { taken: true }
}

/** The branch that is checked out, by its whole name (gitglossary, "ref"). */
async function branchOf({ gitdir }: Repository): Promise<string> {
  const branch =
    (await git.currentBranch({ fs, gitdir, fullname: true, test: false })) ?? 'refs/heads/main'
  if (/^refs\/heads\/[\w-][\w.-]*(?:\/[\w-][\w.-]*)*$/.test(branch)) return branch
  throw new Failure(
    422,
    'The gateway refused the configuration',
    `The repository is not on a branch that can be committed to: ${branch.slice(0, 200)}. What ran before runs on.`,
  )
}

/** Takes the lock of a branch as git does (gitglossary, "lockfile"); false where somebody else has it. */
async function take(lock: string): Promise<boolean> {
  try {
    const handle = await open(lock, 'wx')
    await handle.writeFile(ours)
    await handle.close()
    return true
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException
    if (code === 'ENOENT') {
      // A branch without commits has no folder yet.
      fs.mkdirSync(join(lock, '..'), { recursive: true })
      return take(lock)
    }
    if (code !== 'EEXIST') throw error
    if ((await readFile(lock, 'utf8').catch(() => '')) !== ours) return false
    await rm(lock, { force: true })
    return take(lock)
  }
}

/** The tree of a commit with files at its top put in or taken out. */
async function treeWith(
  { gitdir }: Repository,
  head: string | undefined,
  changes: readonly FileChange[],
): Promise<string> {
  const before = head === undefined ? [] : (await git.readTree({ fs, gitdir, oid: head })).tree
  const changed = new Set(changes.map(({ path }) => path))
  const tree: TreeEntry[] = before.filter(({ path }) => !changed.has(path))
  for (const { path, text } of changes) {
    if (text === undefined) continue
    const oid = await git.writeBlob({ fs, gitdir, blob: Buffer.from(text) })
    tree.push({ mode: '100644', path, oid, type: 'blob' })
  }
  return git.writeTree({ fs, gitdir, tree })
}

/** Brings files that somebody looks at to what was committed; what else was changed there stays. */
async function showInTree({ gitdir, dir }: Repository, changes: readonly FileChange[]) {
  if (dir === undefined) return
  for (const { path, text } of changes) {
    await rm(join(dir, path), { force: true })
    if (text === undefined) {
      await git.remove({ fs, dir, gitdir, filepath: path })
    } else {
      await writeFile(join(dir, path), text, { flag: 'wx' })
      await git.add({ fs, dir, gitdir, filepath: path })
    }
  }
}
