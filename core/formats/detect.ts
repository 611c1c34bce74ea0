import { ramlHeader } from './raml/sources'

const definitionNamespaces =
  /(?:http:\/\/schemas\.xmlsoap\.org\/wsdl\/|http:\/\/www\.w3\.org\/(?:ns|2006\/01)\/wsdl|http:\/\/(?:wadl\.dev\.java\.net\/20\d\d\/\d\d|research\.sun\.com\/wadl\/20\d\d\/\d\d))["']/

/**
 * Whether a text is likely to be a definition of its own, not a part of one, by a quick look: reading it may still find
 * that it is none, or broken.
 */
export function looksLikeDefinition(text: string): boolean {
  const start = /^\uFEFF?\s*/.exec(text)![0].length
  const first = text.charAt(start)
  if (first === '<') {
    const root = /<(?:[\w.-]+:)?(definitions|description|application)\b[^>]*>/.exec(
      text.slice(start, start + 20_000),
    )
    return root !== null && definitionNamespaces.test(root[0])
  }
  const raml = ramlHeader(text)
  if (raml) return ['API', 'Overlay', 'Extension'].includes(raml.kind)
  if (first === '{') return /["']?(?:openapi|swagger)["']?\s*:\s*["']?\d/.test(text)
  return /^["']?(?:openapi|swagger)["']?\s*:\s*["']?\d/m.test(text)
}

/** Whether a file, by its ending, may hold a definition by itself and not only a part of one. */
export const mayBeWhole = (name: string): boolean =>
  /\.(json|ya?ml|raml|wsdl|wadl|xml)$/i.test(name)
