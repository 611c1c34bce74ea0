/** An object of the document that is being written. */
export type Node = Record<string, unknown>

/** Leaves out what is not there. */
export const node = (entries: Node): Node =>
  Object.fromEntries(Object.entries(entries).filter(([, value]) => value !== undefined))

/** A list, or nothing where it is empty. */
export const nonEmpty = <T>(list: T[]): T[] | undefined => (list.length > 0 ? list : undefined)
