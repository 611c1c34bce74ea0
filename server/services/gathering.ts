import { limits } from '../../core/text/limits'
import type { FileBytes, FileSet } from '../jobs/analysis'
import { tooLarge } from './catalog'
import type { Examiner } from './context'
import { Failure } from './failure'

/** Rounds of looking for what those that were found refer to. */
const mostRounds = 40

/**
 * Adds what a definition refers to, and what that refers to, as far as it can be found; `find` is asked once for each name.
 */
export async function gather(
  examiner: Examiner,
  start: FileSet,
  wanted: readonly string[],
  find: (names: string[]) => Promise<FileBytes[]>,
): Promise<FileSet> {
  const asked = new Set<string>()
  let files = start
  let missing = wanted
  for (let round = 0; round < mostRounds; round++) {
    const fresh = missing.filter((name) => !asked.has(name))
    for (const name of fresh) asked.add(name)
    const found = await find(fresh)
    if (found.length === 0) break
    files = [...files, ...found]
    if (files.length > limits.files) throw tooMany()
    if (files.reduce((sum, file) => sum + file.bytes.byteLength, 0) > limits.allBytes)
      throw tooLarge()
    missing = (await examiner.names(files))?.missing ?? []
  }
  return files
}

const tooMany = () =>
  new Failure(413, 'Too many files', `A definition has at most ${limits.files} files.`)
