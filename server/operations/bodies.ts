/** The media types in which the text of a definition may be sent. */
export const textTypes = [
  'text/plain',
  'application/yaml',
  'application/json',
  'application/octet-stream',
]

/** A text, or a ZIP of all files of a definition. */
export const definitionTypes = [...textTypes, 'application/zip']

/** The media types of reports, by their formats. */
export const reportTypes = {
  text: 'text/plain; charset=utf-8',
  json: 'application/json',
  sarif: 'application/sarif+json',
  junit: 'application/xml',
  markdown: 'text/markdown; charset=utf-8',
}
