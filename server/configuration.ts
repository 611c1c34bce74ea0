import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'

/** What a file says; nothing where there is none. */
const kept = (file: string | undefined) =>
  file && existsSync(file) ? readFileSync(file, 'utf8') : ''

/** What the processes are told by their environment. Throws naming what is missing. */
export function configuration() {
  const needed = (name: string): string => {
    const value = process.env[name]
    if (!value) throw new Error(`${name} is not set; "npm start" sets it`)
    return value
  }
  return {
    databaseUrl: needed('DATABASE_URL'),
    sessionSecret: needed('ELM_SESSION_SECRET'),
    gatewaySecret: needed('ELM_GATEWAY_SECRET'),
    gatewayFolders: process.env['ELM_GATEWAY_FOLDERS'] ?? '',
    gatewayAuthority: kept(process.env['ELM_GATEWAY_AUTHORITY']),
    heads: {
      keyFile: join(needed('ELM_KEYS'), 'ledger-key.pem'),
      headsFile: join(needed('ELM_KEYS'), 'ledger-heads.jsonl'),
      witness: process.env['ELM_WITNESS'] ?? '',
    },
    alwaysLocal: process.env['ELM_LOCAL_ACCOUNTS'] === 'always',
    setupCode: process.env['ELM_SETUP_CODE'] ?? '',
    mail: {
      server: process.env['ELM_SMTP_URL'] ?? '',
      from: process.env['ELM_MAIL_FROM'] ?? 'Elm Ledger <elm-ledger@localhost>',
    },
    allowedTargets: (process.env['ELM_ALLOWED_TARGETS'] ?? '').split(',').filter(Boolean),
    distribution: process.env['ELM_DIST'] ?? join(process.cwd(), 'dist'),
  }
}
