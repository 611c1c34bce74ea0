/** What a placement's state is known by in `ETag` and `If-Match` (RFC 9110 section 8.8.3). */
export const placementEtag = ({ generation }: { generation: number }) => `"placement-${generation}"`

/** What the state of a scope's policies is known by. */
export const pipelineEtag = ({ edition }: { edition: number }) => `"edition-${edition}"`

export const scopeEtag = ({ generation }: { generation: number }) => `"scope-${generation}"`
