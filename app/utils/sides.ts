import type { ApiDetail, RevisionItem } from '~~/shared/api/catalog'
import type { ComparedSide } from '~~/shared/api/comparisons'

/** One side of a comparison as the address bar has it: `stage Live`, `version 3.9.2` or `revision 12`. */
export function sideOf(api: string, written: string): ComparedSide | undefined {
  const [kind, ...rest] = written.split(' ')
  const value = rest.join(' ')
  if (value === '') return undefined
  if (kind === 'stage' || kind === 'version') return { api, [kind]: value }
  const revision = Number(value)
  return kind === 'revision' && Number.isInteger(revision) && revision > 0
    ? { api, revision }
    : undefined
}

export interface SideChoices {
  label: string
  choices: { value: string; label: string }[]
}

/** Everything of an API that can be one side: what runs, its versions, and each revision. */
export function sideChoices(
  { cells, versions }: Pick<ApiDetail, 'cells' | 'versions'>,
  stages: readonly string[],
  revisions: readonly RevisionItem[],
): SideChoices[] {
  const running = stages.flatMap((stage) => {
    const cell = cells.find((one) => one.stage === stage)
    return cell ? [{ value: `stage ${stage}`, label: `${cell.version}, ${stage}` }] : []
  })
  const groups = [
    { label: 'Running', choices: running },
    {
      label: 'Versions',
      choices: versions.map((version) => ({ value: `version ${version}`, label: version })),
    },
    {
      label: 'Revisions',
      choices: revisions.map(({ revision, version }) => ({
        value: `revision ${revision}`,
        label: `revision ${revision} (${version})`,
      })),
    },
  ]
  return groups.filter(({ choices }) => choices.length > 0)
}

/**
 * What the newest revision is compared with where nobody says: what runs furthest along the stages, the newest other
 * version, or the revision before; nothing where there is only one.
 */
export function usualBefore(
  { cells, versions, latest }: Pick<ApiDetail, 'cells' | 'versions' | 'latest'>,
  stages: readonly string[],
): string {
  const other = ({ version }: { version: string }) => version !== latest.version
  const running = stages.findLast((stage) =>
    cells.some((cell) => cell.stage === stage && other(cell)),
  )
  if (running !== undefined) return `stage ${running}`
  const version = versions.find((one) => one !== latest.version)
  if (version !== undefined) return `version ${version}`
  return latest.revision > 1 ? `revision ${latest.revision - 1}` : ''
}

/** The newest revision, by the first stage it stands in, by its version, or by its number. */
export function usualAfter(
  { cells, versions, latest }: Pick<ApiDetail, 'cells' | 'versions' | 'latest'>,
  stages: readonly string[],
): string {
  const placed = stages.find((stage) =>
    cells.some((cell) => cell.stage === stage && cell.version === latest.version),
  )
  if (placed !== undefined) return `stage ${placed}`
  return versions.includes(latest.version)
    ? `version ${latest.version}`
    : `revision ${latest.revision}`
}
