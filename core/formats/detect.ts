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
  if (first === '{') return saysVersion(text)
  return /^["']?(?:openapi|swagger)["']?\s*:\s*["']?\d/m.test(text)
}

const version = /(["']?)(?:openapi|swagger)\1\s*:\s*["']?\d/y
const jsonToken = /"(?:[^"\\]|\\.)*"|[{}[\]]|\bopenapi\b|\bswagger\b/g

/** Whether a JSON text has the version of an OpenAPI document among its own members: a package may depend on one. */
function saysVersion(text: string): boolean {
  let depth = 0
  for (const { 0: token, index } of text.matchAll(jsonToken)) {
    if (token === '{' || token === '[') depth++
    else if (token === '}' || token === ']') depth--
    else if (depth === 1) {
      version.lastIndex = index
      if (version.test(text)) return true
    }
  }
  return false
}

/** Whether a file, by its ending, may hold a definition by itself and not only a part of one. */
export const mayBeWhole = (name: string): boolean =>
  /\.(json|ya?ml|raml|wsdl|wadl|xml)$/i.test(name)
