import type pg from 'pg'
import { applicationRole } from './viewer'

/** The role that an address connects as. */
export const roleOf = (url: string): string => decodeURIComponent(new URL(url).username)

const quoted = (name: string) => `"${name.replaceAll('"', '""')}"`

/**
 * Lets the application's role use the tables, and the ledger and its tree for reading and adding only. Where the
 * application connects as a superuser, a role is made for it to go on as; where it connects as the owner of the schema,
 * nothing is granted, and the ledger's screen says so.
 */
export async function grantTo(pool: pg.Pool, role: string): Promise<void> {
  const { rows } = await pool.query<{ isBound: boolean; isOwner: boolean }>(
    `SELECT NOT (rolsuper OR rolbypassrls) AS "isBound", rolname = current_user AS "isOwner"
     FROM pg_roles WHERE rolname = $1`,
    [role],
  )
  const { isBound, isOwner } = rows[0]!
  if (isBound) {
    if (!isOwner) await grant(pool, role)
    return
  }
  await pool.query(`
    DO $$ BEGIN
      CREATE ROLE ${applicationRole} NOLOGIN NOSUPERUSER NOBYPASSRLS;
    EXCEPTION WHEN duplicate_object OR unique_violation THEN NULL;
    END $$`)
  await grant(pool, applicationRole)
}

async function grant(pool: pg.Pool, role: string): Promise<void> {
  const to = quoted(role)
  await pool.query(`
    GRANT USAGE ON SCHEMA public TO ${to};
    GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO ${to};
    GRANT USAGE, SELECT ON ALL SEQUENCES IN SCHEMA public TO ${to};
    REVOKE ALL ON ledger, ledger_nodes FROM ${to};
    GRANT SELECT, INSERT ON ledger, ledger_nodes TO ${to};
    GRANT EXECUTE ON FUNCTION keep_requests_of(date), drop_requests_before(date) TO ${to};`)
}
