import type { KeptSignOn } from '../shared/api/settings'

/** The demo's single sign-on: the issuer among the stand-ins, and what its groups may do. */
export const signOnAt = (standins: string, sealedSecret: string): KeptSignOn => ({
  issuer: `${standins}/issuer`,
  clientId: 'elm-ledger',
  groupsClaim: 'groups',
  groups: [
    { group: 'platform', role: 'administrator' },
    { group: 'api-governance', role: 'governance' },
    { group: 'gateway-operators', role: 'operator' },
    { group: 'metering-owners', role: 'owner', team: 'Metering' },
    { group: 'everybody', role: 'reader' },
  ],
  sealedSecret,
})
