/** A branch or a tag of a repository (gitglossary, "ref"), or several whose names begin alike, and the stage that is theirs. */
export interface RefRule {
  kind: 'branch' | 'tag'
  /** May end with `*`, which stands for anything. */
  name: string
  stage: string
}

const folders = { branch: 'refs/heads/', tag: 'refs/tags/' } as const

/** The rule that a ref (`refs/heads/main`) comes under: the first of those that name it. */
export function ruleOf(rules: readonly RefRule[], ref: string): RefRule | undefined {
  return rules.find(({ kind, name }) => {
    const folder = folders[kind]
    if (!ref.startsWith(folder)) return false
    const own = ref.slice(folder.length)
    return name.endsWith('*') ? own.startsWith(name.slice(0, -1)) : own === name
  })
}

/** A ref as people say it: `main`, `tag v2.4.0`. */
export function refText(ref: string): string {
  if (ref.startsWith(folders.branch)) return ref.slice(folders.branch.length)
  return ref.startsWith(folders.tag) ? `tag ${ref.slice(folders.tag.length)}` : ref
}

/**
 * Whether something may be the name of a branch or tag, or begin one (git-check-ref-format): it goes into commands that
 * people copy, so that nothing of a shell is in it either.
 */
export const isRefName = (name: string): boolean =>
  /^(?:\*|[A-Za-z0-9_][\w.+-]*(?:\/[A-Za-z0-9_][\w.+-]*)*\/?\*?)$/.test(name) &&
  !/\.\.|\.lock$|\.$|\/\/|\.\//.test(name)

/** Whether something names a file of a repository: a path below its top, without steps upwards. */
export const isFilePath = (path: string): boolean =>
  path.length <= 300 &&
  path
    .split('/')
    .every((part) => part !== '' && part !== '.' && part !== '..' && part !== '.git') &&
  !/[\u0000-\u001f\\'"`$]/.test(path)
