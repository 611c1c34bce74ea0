import { lstat, open, readdir, readFile, realpath, rename, rm } from 'node:fs/promises'
import { join, relative, sep } from 'node:path'
import { fromCluster } from '../../core/runtime/cluster/read'
import { toCluster } from '../../core/runtime/cluster/write'
import { ConfigurationError } from '../../core/runtime/config-values'
import { placementOf, writeResources, type Resource } from '../../core/runtime/resources'
import { Failure } from '../services/failure'
import { changedInBetween, gatewayDown, type Adapter, type Change } from './adapter'
import {
  isRead,
  joined,
  mostBytes,
  mostFiles,
  tooLarge,
  type ClusterFile,
  type FileChange,
} from './file-set'
import { commitFiles, readCommitted, repositoryIn } from './repository'

/** Folders below folders, from the top. */
const deepest = 6

/**
 * A cluster that is fed from a folder, or from the commits of a git repository. Each placement has one file; those of
 * others are read and never written.
 */
export function files(root: string, name: string, folder: string): Adapter {
  const at = () => folderIn(root, name, folder)
  return {
    async read() {
      const where = await at()
      const repository = repositoryIn(where)
      return repository
        ? readCommitted(repository, name)
        : joined(name, await readFolder(where, where, name))
    },
    understand: fromCluster,
    asRead,
    async write(change, etag) {
      const where = await at()
      const changes = changesOf(change)
      const repository = repositoryIn(where)
      if (repository) return commitFiles(repository, changes, change, etag)
      if (joined(name, await readFolder(where, where, name)).etag !== etag) return changedInBetween
      for (const one of changes) await replace(where, one)
      return { taken: true }
    },
  }
}

/** What a cluster is told says less than the resources it was made from. */
function asRead(resources: readonly Resource[]): Resource[] {
  return fromCluster(writeResources(toCluster(resources))).resources
}

/** The files that a change is: one for each placement. */
function changesOf({ resources, placements }: Change): FileChange[] {
  return placements.map((placement) => {
    const own = resources.filter((resource) => placementOf(resource) === placement)
    try {
      return {
        path: `${placement}.yaml`,
        text: own.length > 0 ? writeResources(toCluster(own)) : undefined,
      }
    } catch (error) {
      if (!(error instanceof ConfigurationError)) throw error
      throw new Failure(
        422,
        'The gateway refused the configuration',
        `${error.message}. What ran before runs on.`,
      )
    }
  })
}

/** The folder of a gateway, which is below that of all of them, whatever links there are. */
async function folderIn(root: string, name: string, folder: string): Promise<string> {
  if (root === '')
    throw gatewayDown(
      name,
      'is fed from files, and no folder for such gateways is set (ELM_GATEWAY_FOLDERS)',
    )
  try {
    const [whole, where] = [await realpath(root), await realpath(join(root, folder))]
    if (where.startsWith(whole + sep)) return where
  } catch (error) {
    throw gatewayDown(
      name,
      `has no folder called ${folder} (${(error as NodeJS.ErrnoException).code ?? ''})`,
    )
  }
  throw gatewayDown(name, `would be read from ${folder}, which is not below the folder of gateways`)
}

async function readFolder(
  top: string,
  at: string,
  name: string,
  depth = 0,
): Promise<ClusterFile[]> {
  const entries = await readdir(at, { withFileTypes: true })
  const found: ClusterFile[] = []
  for (const entry of entries.sort((a, b) => (a.name < b.name ? -1 : 1))) {
    const path = join(at, entry.name)
    if (entry.isDirectory() && !entry.name.startsWith('.') && depth < deepest)
      found.push(...(await readFolder(top, path, name, depth + 1)))
    else if (entry.isFile() && isRead(entry.name)) {
      if ((await lstat(path)).size > mostBytes) throw tooLarge(name)
      found.push({ path: relative(top, path), text: await readFile(path, 'utf8') })
    }
    if (found.length > mostFiles) throw tooLarge(name)
  }
  return found
}

/** Replaces a file whole or not at all, or takes it away. */
async function replace(folder: string, { path, text }: FileChange): Promise<void> {
  const file = join(folder, path)
  if (text === undefined) return rm(file, { force: true })
  const half = join(folder, `.${path}.new`)
  // Whatever a link of that name would lead to is left alone.
  await rm(half, { force: true })
  const written = await open(half, 'wx', 0o644)
  try {
    await written.writeFile(text)
    await written.sync()
  } finally {
    await written.close()
  }
  await rename(half, file)
}
