import { readFileSync } from 'node:fs'

/** The version of this program, from the package it is part of. */
export const { version } = JSON.parse(
  readFileSync(new URL('../package.json', import.meta.url), 'utf8'),
) as { version: string }
