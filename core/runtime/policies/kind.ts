import { readValue, type Field, type Misfit } from '../fields'
import type { StepName } from '../steps'

/** A configuration as people read it: the sentence, and what else is good to know. */
export interface Words {
  text: string
  note?: string
}

/** One kind of policy: what may be configured, how it reads, and how configurations stand to one another. */
export interface PolicyKind<C> {
  /** The kind of the resource it is written as. */
  resource: string
  step: StepName
  title: string
  says: string
  config: Field<C>
  words: (config: C) => Words
  /** What is wrong with a configuration whose parts are each in order. */
  misfits?: (config: C) => Misfit[]
  /**
   * Why an inner configuration asks for less than an outer binding one; undefined where it is as strict. Without it,
   * what is binding stays as it is.
   */
  loosens?: (outer: C, inner: C) => string | undefined
  /** What an inner configuration makes of an outer one; without it the inner one stands in its place. */
  combine?: (outer: C, inner: C) => C
}

/** Names the type of a kind's configuration once, by its fields. */
export const policyKind = <C>(kind: PolicyKind<C>): PolicyKind<C> => kind

/** A configuration of a kind with its defaults, or everything that is wrong with it. */
export function readConfig<C>(
  kind: PolicyKind<C>,
  value: unknown,
): { value: C; misfits?: undefined } | { misfits: Misfit[] } {
  const read = readValue(kind.config, value)
  if (read.misfits) return read
  const misfits = kind.misfits?.(read.value) ?? []
  return misfits.length > 0 ? { misfits } : read
}
