/** What a placement's state is known by in `ETag` and `If-Match` (RFC 9110 section 8.8.3). */
export const placementEtag = ({ generation }: { generation: number }) => `"placement-${generation}"`

export const pipelineEtag = ({ edition }: { edition: number }) => `"edition-${edition}"`

/** What the state of a probe is known by. */
export const probeEtag = ({ edition }: { edition: number }) => `"probe-${edition}"`

/** What the newest revision of a definition is known by. */
export const revisionEtag = (number: number) => `"revision-${number}"`

/** What the settings of a repository are known by; a new API of it has a name once it is entered. */
export const repositoryEtag = (of: { setAt: string; definitions: { api: string }[] }) =>
  `"repository-${Date.parse(of.setAt)}-${of.definitions.filter(({ api }) => api !== '').length}"`

/** What the state of a scope's policies is known by. */
export const scopeEtag = ({ generation }: { generation: number }) => `"scope-${generation}"`
