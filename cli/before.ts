import { statSync } from 'node:fs'
import { compareContracts } from '../core/compare/contracts'
import type { Before } from '../core/rules/before'
import { open } from './open'

/** Whether there is a file of that name. */
export const isFile = (file: string): boolean =>
  statSync(file, { throwIfNoEntry: false })?.isFile() ?? false

/** The version before, read from a file; undefined where it is no definition that can be read. */
export function beforeIn(file: string): Before | undefined {
  const reading = open({ source: { file, named: true } })?.reading
  return (
    reading && {
      version: reading.contract.version,
      deprecatedSince: {},
      changesTo: (after) => compareContracts(reading.contract, after),
    }
  )
}
