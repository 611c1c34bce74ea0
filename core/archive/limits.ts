/** Bounds on archives from strangers: what comes out of one, in files, bytes, and bytes for each byte that went in. */
export const archiveLimits = {
  entries: 5000,
  bytes: 256 * 1024 * 1024,
  ratio: 200,
  /** Ratios are judged past this size: a small text may well be one letter often. */
  ratioFrom: 4 * 1024 * 1024,
} as const

/** How large an archive may be that is sent, in bytes. */
export const largestArchive = archiveLimits.bytes / 2
