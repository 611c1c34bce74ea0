import { choice, list, object, optional, text, whole } from '../fields'
import { beyond, whyNoMediaType } from './checks'
import { policyKind } from './kind'
import { bytes, someOf } from './words'

/** The largest body that a gateway keeps whole to look at it; in bytes. */
export const mostLookedAt = 16_000_000

export const body = policyKind({
  resource: 'BodyPolicy',
  step: 'validate',
  title: 'Request body',
  says: 'Bounds what a request body may be before anything else looks at it: its size (413), its media type (415), and, in JSON and XML, how deeply it is nested and how many values it has (400). Bodies whose length is not said beforehand are taken to 16 MB. Bodies that say they are compressed are refused where depth or values are bounded (415), and so is XML with a document type declaration.',
  config: object(
    { label: 'Request body', says: 'How large and how deep a body may be.' },
    {
      bytes: whole({
        label: 'Size',
        says: 'The most bytes.',
        max: 1_000_000_000,
        unit: 'B',
        default: 1_000_000,
      }),
      depth: optional(
        whole({ label: 'Depth', says: 'The deepest nesting in JSON and XML.', max: 1000 }),
      ),
      values: optional(
        whole({
          label: 'Values',
          says: 'The most values, or elements and attributes.',
          max: 10_000_000,
        }),
      ),
      mediaTypes: list(
        text({
          label: 'Media type',
          says: 'One media type, or a range of them.',
          example: 'application/json',
          max: 200,
          why: whyNoMediaType,
        }),
        { label: 'Media types', says: 'Only these; all where empty.', max: 50, default: [] },
      ),
    },
  ),
  words: ({ bytes: most, depth, values, mediaTypes }) => ({
    text: `bodies to ${bytes(most)}`,
    note:
      [
        ...(depth === undefined ? [] : [`${depth} deep`]),
        ...(values === undefined ? [] : [`${values.toLocaleString('en')} values`]),
        ...(mediaTypes.length === 0 ? [] : [`as ${someOf(mediaTypes)}`]),
      ].join(', ') || 'of any media type',
  }),
  misfits: ({ bytes: most, depth, values }) =>
    most > mostLookedAt && (depth !== undefined || values !== undefined)
      ? [
          {
            field: 'bytes',
            message: `Bodies beyond ${bytes(mostLookedAt)} cannot be looked at for depth or values`,
          },
        ]
      : [],
  loosens(outer, inner) {
    if (inner.bytes > outer.bytes) return `it takes bodies to ${bytes(inner.bytes)}`
    if (outer.depth !== undefined && (inner.depth ?? Infinity) > outer.depth)
      return 'it takes deeper bodies'
    if (outer.values !== undefined && (inner.values ?? Infinity) > outer.values)
      return 'it takes bodies with more values'
    if (outer.mediaTypes.length === 0) return undefined
    if (inner.mediaTypes.length === 0) return 'it takes any media type'
    const more = beyond(inner.mediaTypes, outer.mediaTypes)
    return more.length > 0 ? `it takes ${someOf(more)} too` : undefined
  },
})

const strictness = { ignore: 0, report: 1, refuse: 2 }

export const contract = policyKind({
  resource: 'ContractPolicy',
  step: 'validate',
  title: 'Held against the definition',
  says: 'Holds parameters and bodies of requests, and responses, against the definition of the version. What breaks it is noted with the request, at the place and with the reason; a request can be refused for it (400). JSON is held as it is, XML as the value it stands for: names, types and what must be there, in SOAP of what its body begins with, and not the order of elements. Bodies larger than a megabyte are not looked at, and that is noted too; nor are messages with attachments.',
  config: object(
    { label: 'Held against the definition', says: 'What happens to what breaks the definition.' },
    {
      requests: choice(
        [
          { value: 'ignore', label: 'not held' },
          { value: 'report', label: 'held, and noted' },
          { value: 'refuse', label: 'held, and refused' },
        ],
        { label: 'Requests', says: 'What happens to requests that break it.', default: 'report' },
      ),
      responses: choice(
        [
          { value: 'ignore', label: 'not held' },
          { value: 'report', label: 'held, and noted' },
        ],
        { label: 'Responses', says: 'What happens to responses that break it.', default: 'ignore' },
      ),
    },
  ),
  words: ({ requests, responses }) => ({
    text:
      requests === 'ignore'
        ? 'requests are not held against the definition'
        : `requests are held against the definition and ${requests === 'refuse' ? 'refused' : 'noted'}`,
    note:
      responses === 'ignore' ? 'responses are not looked at' : 'responses are held too, and noted',
  }),
  loosens: (outer, inner) =>
    strictness[inner.requests] < strictness[outer.requests] ||
    strictness[inner.responses] < strictness[outer.responses]
      ? 'it holds less against the definition'
      : undefined,
})
