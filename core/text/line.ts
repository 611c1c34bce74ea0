/** Controls, separators of lines and paragraphs, and what turns the direction of the text around it (UAX #9). */
const unprintable = /[\p{Cc}\u2028\u2029\u202a-\u202e\u2066-\u2069]/u

/** Why a text cannot be a name that people read in one line; undefined where it can. */
export function whyNoLine(text: string, most: number): string | undefined {
  if (text.trim() === '') return 'has nothing in it but spaces'
  if (text.length > most)
    return `has ${text.length.toLocaleString('en')} characters, and ${most} are the most`
  return unprintable.test(text) ? 'has a control character in it' : undefined
}
