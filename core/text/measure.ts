import { SaxesParser } from 'saxes'

/** How deep a text is nested and how many values it has, without reading it into values. */
export interface Extent {
  depth: number
  values: number
}

const [quote, backslash, comma] = [34, 92, 44]
const opens = new Set([91, 123])
const closes = new Set([93, 125])

/**
 * The extent of a JSON text, in one pass over its bytes. Values are counted by commas and brackets, so that a text that
 * is no JSON gets numbers too.
 */
export function measureJson(bytes: Uint8Array): Extent {
  let [depth, deepest, values, within] = [0, 0, 1, false]
  for (let i = 0; i < bytes.length; i++) {
    const byte = bytes[i]!
    if (within) {
      if (byte === backslash) i++
      else if (byte === quote) within = false
    } else if (byte === quote) within = true
    else if (byte === comma) values++
    else if (opens.has(byte)) {
      values++
      deepest = Math.max(deepest, ++depth)
    } else if (closes.has(byte)) depth--
  }
  return { depth: deepest, values }
}

/** The extent of an XML text: elements and attributes; or why it is not looked at further. */
export function measureXml(text: string, most: Extent): Extent | { refused: string } {
  const extent = { depth: 0, values: 0 }
  let depth = 0
  let refused: string | undefined
  const parser = new SaxesParser()
  parser.on('doctype', () => {
    throw new Stopped('has a document type declaration')
  })
  parser.on('opentag', ({ attributes }) => {
    extent.values += 1 + Object.keys(attributes).length
    extent.depth = Math.max(extent.depth, ++depth)
    if (extent.depth > most.depth || extent.values > most.values) throw new Stopped('')
  })
  parser.on('closetag', () => depth--)
  parser.on('error', ({ message }) => {
    throw new Stopped(`is not well-formed (${message})`)
  })
  try {
    parser.write(text).close()
  } catch (error) {
    if (!(error instanceof Stopped)) throw error
    refused = error.message
  }
  return refused ? { refused } : extent
}

class Stopped extends Error {}
