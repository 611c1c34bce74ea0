import { beforeFrom, type Before } from '../core/rules/before'
import { open } from './open'

/**
 * The version before, read from a file; undefined where it is no definition that can be read. What compares is loaded
 * here: it is large, and most runs do without it.
 */
export async function beforeIn(file: string): Promise<Before | undefined> {
  const reading = open({ source: { file, named: true } })?.reading
  if (!reading) return undefined
  const { compareContracts } = await import('../core/compare/contracts')
  return beforeFrom(reading.contract, compareContracts)
}
