/** What a placement's state is known by in `ETag` and `If-Match` (RFC 9110 section 8.8.3). */
export const placementEtag = ({ generation }: { generation: number }) => `"placement-${generation}"`
