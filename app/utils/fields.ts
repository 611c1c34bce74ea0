/** The field that an event comes from. */
export function inputOf(event: Event): HTMLInputElement {
  if (event.target instanceof HTMLInputElement) return event.target
  throw new TypeError('The event comes from no input')
}

/** What a field of a form holds now. */
export function textOf({ target }: Event): string {
  const isField =
    target instanceof HTMLInputElement ||
    target instanceof HTMLTextAreaElement ||
    target instanceof HTMLSelectElement
  return isField ? target.value : ''
}

/** As many rows as a text needs in a narrow field; from two to twelve. */
export const rowsFor = (text: string): number =>
  Math.min(12, Math.max(2, text.split('\n').length, Math.ceil(text.length / 44)))
