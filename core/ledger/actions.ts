/** What is done to an API; entries of these name the API, which decides who may read them. */
export type ApiAction =
  `${'alert' | 'api' | 'drift' | 'finding' | 'fix' | 'key' | 'placement' | 'policy' | 'promotion' | 'repository' | 'request' | 'revision' | 'rollout' | 'waiver'}.${string}`

/** What is done to the installation, its people and its rules. */
export type HouseAction =
  `${'gateway' | 'group' | 'host' | 'organisation' | 'person' | 'pipeline' | 'product' | 'rulebook' | 'stages' | 'token'}.${string}`
