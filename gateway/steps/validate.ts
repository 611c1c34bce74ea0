import type { ConfigOf } from '../../core/runtime/policies'
import { inRange, mediaTypeOf } from '../../core/runtime/media'
import { mostLookedAt } from '../../core/runtime/policies/validate'
import { bytes } from '../../core/runtime/policies/words'
import { readBody } from '../body'
import type { Inspector } from '../inspector'
import { headerOf, pass, stop, type Check, type Passage } from '../passage'

/** Whether a media type is one of some types and ranges. */
const takes = (ranges: readonly string[], type: string) =>
  ranges.some((range) => inRange(range.toLowerCase(), type))

const refuse = (passage: Passage, status: number, title: string, text: string) =>
  stop(passage, 'validate', 'body', text, { status, title })

const tooLarge = (passage: Passage, most: number) =>
  refuse(passage, 413, 'The body is too large', `The body is larger than ${bytes(most)}`)

export function bodyCheck(config: ConfigOf<'body'>, inspector: Inspector): Check {
  const { bytes: most, depth, values, mediaTypes } = config
  const looks = depth !== undefined || values !== undefined
  return (passage) => {
    const { framing } = passage.head
    if (framing.kind === 'none') return pass(passage, 'validate', 'body', 'There is no body')
    if (framing.kind === 'length' && framing.length > most) return tooLarge(passage, most)
    const type = mediaTypeOf(headerOf(passage, 'content-type'))
    if (mediaTypes.length > 0 && !takes(mediaTypes, type))
      return refuse(
        passage,
        415,
        'This media type is not taken',
        `The body is ${type || 'of no media type'}; it may be ${mediaTypes.join(', ')}`,
      )
    const coding = headerOf(passage, 'content-encoding')
    if (looks && coding !== undefined && coding.toLowerCase() !== 'identity')
      return refuse(
        passage,
        415,
        'Compressed bodies are not taken',
        `The body is said to be ${coding.slice(0, 40)}, and nobody looks into that here`,
      )
    // A body of unknown length is counted as it comes, before anything of it is sent on.
    if (framing.kind === 'length' && !looks)
      return pass(
        passage,
        'validate',
        'body',
        `The body has ${bytes(framing.length)} of ${bytes(most)}`,
      )
    return readBody(passage, Math.min(most, mostLookedAt)).then(async (body) => {
      if (body === 'too large') return tooLarge(passage, Math.min(most, mostLookedAt))
      const bounds = { depth: depth ?? Infinity, values: values ?? Infinity }
      const input = { bytes: body, type, most: bounds }
      const found = looks
        ? await inspector.look('extent', undefined, input, body.length)
        : undefined
      if (found !== undefined) return refuse(passage, 400, 'The body is not taken', found)
      return pass(
        passage,
        'validate',
        'body',
        `The body has ${bytes(body.length)} of ${bytes(most)}`,
      )
    })
  }
}
