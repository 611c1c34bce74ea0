/** Texts of documents as one YAML stream (YAML 1.2, section 9.2). */
export const joinDocuments = (texts: readonly string[]): string =>
  texts.map((text) => `${text.trimEnd()}\n`).join('---\n')
