/**
 * The numbers of the advisory locks of PostgreSQL, each for one thing: what has the same number waits for the other. Those
 * that are of many things of a kind are the first of two keys.
 */
export const lockKeys = {
  /** One writer of the ledger at a time: entries are numbered without gaps, and each hash needs the one before. */
  ledger: 7_120_411,
  /** Work of a name. */
  work: 7_120_412,
  /** Addresses of a host. */
  host: 7_120_413,
  /** Identifiers of the placements of an API. */
  placementIds: 7_120_414,
  /** What is placed, the policies around it, and what stages are called. */
  scopes: 7_120_415,
  /** A reading of a gateway. */
  reading: 7_120_418,
  /** What requests of a placement show. */
  observed: 7_120_419,
  /** A definition that is read again from where it came from. */
  source: 7_120_421,
  /** Pipelines, and the stages that they go through. */
  pipelines: 7_120_422,
  /** Promotions into a stage. */
  promotions: 7_120_423,
  /** Counts of traffic that become those of a longer time. */
  rolling: 7_120_424,
  /** Who may administer. */
  administrators: 7_120_425,
  /** The first administrator. */
  setup: 7_120_426,
} as const
