/** What a field of a form holds now. */
export const textOf = (event: Event): string => (event.target as HTMLInputElement).value

/** As many rows as a text needs in a narrow field; from two to twelve. */
export const rowsFor = (text: string): number =>
  Math.min(12, Math.max(2, text.split('\n').length, Math.ceil(text.length / 44)))
