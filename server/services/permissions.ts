import { listed } from '../../core/text/counted'
import type { Role } from '../../shared/words'
import type { Actor } from './context'
import { Failure } from './failure'

interface Permission {
  roles: Role[]
  /** Owners only for their own team. */
  says: string
}

/** Who may do what. Reading is open to everybody who has signed in. */
const permissions = {
  edit: { roles: ['governance', 'owner'], says: 'Changing a definition' },
  place: { roles: ['governance', 'operator', 'owner'], says: 'Placing a version' },
  policies: { roles: ['governance', 'operator'], says: 'Changing policies for many placements' },
  resolve: { roles: ['governance', 'operator'], says: 'Resolving drift' },
  react: { roles: ['governance'], says: 'Deciding what happens about drift by itself' },
  alert: {
    roles: ['governance', 'operator', 'owner'],
    says: 'Setting what is told of an API',
  },
  alertAll: { roles: ['governance', 'operator'], says: 'Setting what is told of all APIs' },
  request: { roles: ['governance', 'owner', 'operator'], says: 'Asking for a promotion' },
  approve: { roles: ['governance', 'reviewer'], says: 'Approving a promotion' },
  promote: { roles: ['governance', 'operator'], says: 'Promoting a version' },
  passGate: { roles: ['governance', 'reviewer'], says: 'Waiving a gate' },
  override: { roles: ['governance'], says: 'Going past an approval in an emergency' },
  read: { roles: ['governance', 'operator', 'owner', 'reviewer'], says: 'Reading a gateway' },
  upload: { roles: ['governance', 'operator'], says: 'Uploading what a gateway runs' },
  handEdit: { roles: ['governance', 'operator'], says: 'Editing the stand-in gateway by hand' },
  triage: { roles: ['governance', 'owner', 'reviewer'], says: 'Seeing to findings' },
  askWaiver: { roles: ['governance', 'owner', 'reviewer'], says: 'Asking for a waiver' },
  waive: { roles: ['governance', 'reviewer'], says: 'Deciding on a waiver' },
  measure: {
    roles: ['governance', 'owner', 'reviewer'],
    says: 'Measuring what a rulebook or a pipeline would change',
  },
  rule: { roles: ['governance'], says: 'Writing the rulebook' },
  connect: { roles: ['governance', 'owner'], says: 'Connecting a repository' },
  pipeline: { roles: ['governance'], says: 'Writing pipelines' },
  administer: { roles: ['administrator'], says: 'Administering the installation' },
  send: { roles: ['governance', 'operator', 'owner', 'reviewer'], says: 'Sending requests' },
} satisfies Record<string, Permission>

export type Act = keyof typeof permissions

/** Whether somebody may do something to what a team owns. */
export function can(actor: Actor, act: Act, team?: string): boolean {
  const { roles }: Permission = permissions[act]
  const owns = actor.role !== 'owner' || team === undefined || actor.team === team
  return roles.includes(actor.role) && owns
}

/** Throws a refusal that says which role may do it. `team` is the owning team of what is touched. */
export function requirePermission(actor: Actor, act: Act, team?: string): void {
  const { roles, says }: Permission = permissions[act]
  if (can(actor, act, team)) return
  const named = roles.map((role) =>
    role === 'owner' ? `owner${team ? ` for ${team}` : ''}` : role,
  )
  const mine = actor.role === 'owner' ? `owner for ${actor.team}` : actor.role
  throw new Failure(
    403,
    'Your role may not do this',
    `${says} takes the role ${listed(named, 'or')}. You are signed in as ${mine}.`,
  )
}
