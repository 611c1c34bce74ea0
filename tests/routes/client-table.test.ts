import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { format, resolveConfig } from 'prettier'
import { expect, it } from 'vitest'
import type { ApiClass } from '../../shared/api/fields'
import { clientTable } from '../../server/http/client-table'
import { operations } from '../../server/operations'

const file = 'shared/client/table.ts'
const folder = 'shared/api'

it('is the table that the operations make; "npm run operations" writes it', async () => {
  const homes = new Map<ApiClass, string>()
  for (const name of readdirSync(folder)) {
    const home = name.slice(0, -'.ts'.length)
    const exported = (await import(`../../shared/api/${home}.ts`)) as Record<string, unknown>
    for (const value of Object.values(exported))
      if (typeof value === 'function') homes.set(value as ApiClass, home)
  }
  const config = await resolveConfig(file)
  const made = await format(clientTable(operations, homes), { ...config, filepath: file })
  if (process.env['ELM_WRITE'] === 'table') writeFileSync(file, made)
  expect(readFileSync(file, 'utf8')).toBe(made)
})
