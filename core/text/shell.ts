/** A text in quotes that a shell takes nothing out of (POSIX.1-2017, section 2.2.2), for commands that people copy. */
export const shellQuoted = (text: string): string => `'${text.replaceAll("'", "'\\''")}'`

/** The same, without quotes where there is nothing to quote. */
export const shellWord = (text: string): string =>
  /^[\w./:@%+=-]+$/.test(text) ? text : shellQuoted(text)
