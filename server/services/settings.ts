import { eq, isNull } from 'drizzle-orm'
import { teamNames } from './teams'
import type {
  PublicAddress,
  Retention,
  SettingsItem,
  SignInChange,
  SignInWays,
  SignOn,
  SignOnChange,
  SignOnTest,
} from '../../shared/api/settings'
import type { Queries, Transaction } from '../db/database'
import { personColumns } from '../db/names'
import { people, sessions, settings } from '../db/schema'
import type { Context, Services } from './context'
import { conflict, invalid, notFound } from './failure'
import { configurationOf, issuerFault } from './issuer'
import { announce, record } from './ledger'
import { requirePermission } from './permissions'
import { seal, unseal } from './sealing'

export const returnPath = '/sign-on/return'

export const settingsOf = async (db: Queries) => (await db.select().from(settings))[0]

/** Without the client's secret. */
const shown = ({ issuer, clientId, groupsClaim, groups }: SignOn): SignOn => ({
  issuer,
  clientId,
  groupsClaim,
  groups,
})

/** Everything that is set for the installation; `origin` is where it is reached, as far as anybody knows. */
export async function readSettings(context: Context, origin: string): Promise<SettingsItem> {
  requirePermission(context.actor, 'administer')
  const row = await settingsOf(context.db)
  if (!row) throw notFound('organisation')
  const { publicAddress, retention, signOn, localAccounts } = row
  return {
    publicAddress,
    retention,
    ...(signOn && { signOn: shown(signOn) }),
    localAccounts,
    returnAddress: `${publicAddress || origin}${returnPath}`,
  }
}

/** What lets people in, for the page where they do; a start may switch passwords on again for an administrator. */
export async function signInWays({ db, alwaysLocal }: Services): Promise<SignInWays> {
  const row = await settingsOf(db)
  return {
    localAccounts: alwaysLocal || (row?.localAccounts ?? true),
    signOn: row?.signOn != null,
  }
}

type SettingsRow = typeof settings.$inferSelect

/** Changes the settings in one transaction with their entry; `said` is what the ledger says of them. */
async function change(
  context: Context,
  said: (row: SettingsRow) => object,
  next: (tx: Transaction, row: SettingsRow) => Promise<Partial<SettingsRow>>,
): Promise<void> {
  requirePermission(context.actor, 'administer')
  await context.db.transaction(async (tx) => {
    const [row] = await tx.select().from(settings).for('update')
    if (!row) throw notFound('organisation')
    const values = await next(tx, row)
    await tx.update(settings).set(values)
    await record(tx, context, {
      action: 'organisation.changed',
      subject: row.organisation,
      before: said(row),
      after: said({ ...row, ...values }),
    })
  })
}

export const changeRetention = (context: Context, retention: Retention): Promise<void> =>
  change(
    context,
    (row) => ({ retention: row.retention }),
    () => Promise.resolve({ retention: { ...retention } }),
  )

/**
 * Sets where people reach the product. It is set from there: an address that nobody can open would let nobody in, since
 * cookies then hold for https alone.
 */
export const changePublicAddress = (
  context: Context,
  { publicAddress }: PublicAddress,
  origin: string,
): Promise<void> =>
  change(
    context,
    (row) => ({ publicAddress: row.publicAddress }),
    () => {
      if (publicAddress !== '' && publicAddress !== origin) {
        const message = `You are at ${origin}. Open the product at ${publicAddress} and set it there`
        throw invalid([{ field: 'publicAddress', message }])
      }
      return Promise.resolve({ publicAddress })
    },
  )

/** Sets who may come in by what. */
export const changeSignIn = (context: Context, body: SignInChange): Promise<void> =>
  change(
    context,
    ({ signOn, localAccounts }) => ({ signOn: signOn && shown(signOn), localAccounts }),
    async (tx, row) => {
      const signOn = body.signOn
        ? keptOf(context, { row, teams: await teamNames(tx) }, body.signOn)
        : null
      if (!body.localAccounts) await endLocalAccounts(tx, context, signOn !== null)
      return { signOn, localAccounts: body.localAccounts }
    },
  )

function keptOf(
  { secret }: Services,
  { row, teams }: { row: SettingsRow; teams: string[] },
  { clientSecret, ...signOn }: SignOnChange,
): NonNullable<SettingsRow['signOn']> {
  const faults = []
  const fault = issuerFault(signOn.issuer)
  if (fault !== undefined) faults.push({ field: 'signOn.issuer', message: fault })
  for (const { group, role, team } of signOn.groups)
    if (role === 'owner' && !teams.includes(team ?? ''))
      faults.push({
        field: 'signOn.groups',
        message: `Say which team the owners in ${group} speak for`,
      })
  const before = row.signOn
  const same = before?.issuer === signOn.issuer && before.clientId === signOn.clientId
  // A secret goes to the issuer that it was given for, and to no other.
  if (clientSecret === undefined && !same)
    faults.push({
      field: 'signOn.clientSecret',
      message: 'Give the client’s secret for this issuer',
    })
  if (faults.length > 0) throw invalid(faults)
  const sealedSecret =
    clientSecret === undefined ? before!.sealedSecret : seal(secret, clientSecret)
  return { ...shown(signOn), sealedSecret }
}

/** Passwords let nobody in any more; whoever does that has come in without one. */
async function endLocalAccounts(tx: Transaction, context: Context, hasSignOn: boolean) {
  if (!hasSignOn) throw conflict('Without single sign-on, local accounts are the only way in.')
  const [me] = await tx
    .select(personColumns)
    .from(people)
    .where(eq(people.name, context.actor.name))
  if (!me?.subject)
    throw conflict(
      'Come in by single sign-on as an administrator first; then switch local accounts off.',
    )
  const local = await tx.select({ id: people.id }).from(people).where(isNull(people.subject))
  for (const { id } of local) await tx.delete(sessions).where(eq(sessions.personId, id))
  await announce(tx, 'session')
}

/** Asks an issuer about itself, before or after it is kept. */
export async function testSignOn(context: Context, asked: SignOnChange): Promise<SignOnTest> {
  const { db, secret, actor } = context
  requirePermission(actor, 'administer')
  const fault = issuerFault(asked.issuer)
  if (fault !== undefined) return { answers: false, says: `${fault}.` }
  const kept = (await settingsOf(db))?.signOn
  const clientSecret =
    asked.clientSecret ??
    (kept?.issuer === asked.issuer ? unseal(secret, kept.sealedSecret) : 'none')
  try {
    const said = (await configurationOf({ ...asked, clientSecret })).serverMetadata()
    const scopes = said.scopes_supported?.join(', ') ?? 'nothing of its scopes'
    return { answers: true, says: `${said.issuer} can be used; it names ${scopes}.` }
  } catch (error) {
    const { message, cause } = error as Error
    const why = cause instanceof Error ? cause.message : message
    return { answers: false, says: `It cannot be used: ${why}.` }
  }
}
