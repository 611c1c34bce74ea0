import { operationKey } from '../runtime/placement'

export interface OperationChange {
  added: string[]
  removed: string[]
  kept: number
}

/** Which operations a version has that another has not. Parameter names do not make another operation. */
export function compareOperations(
  before: { method: string; path: string }[],
  after: { method: string; path: string }[],
): OperationChange {
  const name = ({ method, path }: { method: string; path: string }) => `${method} ${path}`
  const old = new Set(before.map(operationKey))
  const fresh = new Set(after.map(operationKey))
  const added = after.filter((operation) => !old.has(operationKey(operation))).map(name)
  return {
    added,
    removed: before.filter((operation) => !fresh.has(operationKey(operation))).map(name),
    kept: after.length - added.length,
  }
}
