import type pg from 'pg'

/** The role that an address connects as. */
export const roleOf = (url: string): string => decodeURIComponent(new URL(url).username)

const quoted = (name: string) => `"${name.replaceAll('"', '""')}"`

/**
 * Lets the application's role use the tables, and the ledger and its tree for reading and adding only. Nothing is
 * granted where the application connects as the owner itself; then the ledger's screen says so.
 */
export async function grantTo(pool: pg.Pool, role: string): Promise<void> {
  const { rows } = await pool.query<{ me: string }>('SELECT current_user AS me')
  if (rows[0]!.me === role) return
  const to = quoted(role)
  await pool.query(`
    GRANT USAGE ON SCHEMA public TO ${to};
    GRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA public TO ${to};
    GRANT USAGE, SELECT ON ALL SEQUENCES IN SCHEMA public TO ${to};
    REVOKE ALL ON ledger, ledger_nodes FROM ${to};
    GRANT SELECT, INSERT ON ledger, ledger_nodes TO ${to};`)
}
