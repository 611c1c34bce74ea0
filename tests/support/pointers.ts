import { pointerTo } from '../../core/text/pointer'

/** The pointers of a value and of all that it holds, those above first. */
export function* pointersOf(value: unknown, at = ''): Generator<string> {
  yield at
  if (typeof value !== 'object' || value === null) return
  for (const [name, child] of Object.entries(value)) yield* pointersOf(child, pointerTo(at, name))
}
