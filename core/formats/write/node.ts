import type { Node } from '../../text/values'

/** Leaves out what is not there. */
export const node = (entries: Node): Node =>
  Object.fromEntries(Object.entries(entries).filter(([, value]) => value !== undefined))

/** A list, or nothing where it is empty. */
export const nonEmpty = <T>(list: T[]): T[] | undefined => (list.length > 0 ? list : undefined)

/** Named things as the members of an object, or nothing where there are none. */
export const byName = <T>(list: T[], entry: (item: T) => [name: string, value: unknown]) =>
  list.length > 0 ? Object.fromEntries<unknown>(list.map(entry)) : undefined
