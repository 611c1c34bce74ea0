/**
 * The part of the JSON Schema of SARIF 2.1.0 (OASIS, errata 01) that concerns what reports write: names, types, required
 * and allowed properties, enumerations and bounds as they stand there.
 */
const ref = (name: string) => ({ $ref: `#/definitions/${name}` })
const list = (items: object, bounds: object = { minItems: 0, uniqueItems: false }) => ({
  type: 'array',
  items,
  ...bounds,
})
const object = (properties: Record<string, object>, required: string[] = []) => ({
  type: 'object',
  additionalProperties: false,
  properties,
  required,
})
const text = { type: 'string' }
const whole = (minimum: number) => ({ type: 'integer', minimum })

export const sarifSchema = {
  $schema: 'http://json-schema.org/draft-07/schema#',
  ...object(
    {
      $schema: { type: 'string', format: 'uri' },
      version: { enum: ['2.1.0'] },
      runs: { type: ['array', 'null'], items: ref('run'), minItems: 0, uniqueItems: false },
    },
    ['version', 'runs'],
  ),
  definitions: {
    run: object(
      {
        tool: ref('tool'),
        invocations: list(ref('invocation')),
        columnKind: { enum: ['utf16CodeUnits', 'unicodeCodePoints'] },
        results: { type: ['array', 'null'], items: ref('result'), minItems: 0, uniqueItems: false },
      },
      ['tool'],
    ),
    tool: object({ driver: ref('toolComponent') }, ['driver']),
    toolComponent: object(
      {
        name: text,
        version: text,
        rules: list(ref('reportingDescriptor'), { minItems: 0, uniqueItems: true }),
      },
      ['name'],
    ),
    reportingDescriptor: object(
      {
        id: text,
        shortDescription: ref('multiformatMessageString'),
        fullDescription: ref('multiformatMessageString'),
        help: ref('multiformatMessageString'),
        helpUri: { type: 'string', format: 'uri' },
        defaultConfiguration: object({ level: { enum: ['none', 'note', 'warning', 'error'] } }),
        properties: {
          type: 'object',
          additionalProperties: true,
          properties: { tags: list(text, { minItems: 0, uniqueItems: true }) },
        },
      },
      ['id'],
    ),
    multiformatMessageString: object({ text, markdown: text }, ['text']),
    invocation: object(
      {
        executionSuccessful: { type: 'boolean' },
        endTimeUtc: { type: 'string', format: 'date-time' },
        toolExecutionNotifications: list(ref('notification')),
      },
      ['executionSuccessful'],
    ),
    notification: object(
      {
        level: { enum: ['none', 'note', 'warning', 'error'] },
        message: ref('message'),
        locations: list(ref('location'), { minItems: 0, uniqueItems: true }),
      },
      ['message'],
    ),
    message: {
      ...object({ text, id: text }),
      anyOf: [{ required: ['text'] }, { required: ['id'] }],
    },
    result: object(
      {
        ruleId: text,
        ruleIndex: whole(-1),
        level: { enum: ['none', 'note', 'warning', 'error'] },
        message: ref('message'),
        locations: list(ref('location')),
        partialFingerprints: { type: 'object', additionalProperties: text },
        suppressions: list(
          object({ kind: { enum: ['inSource', 'external'] }, justification: text }, ['kind']),
          { minItems: 0, uniqueItems: true },
        ),
      },
      ['message'],
    ),
    location: object({
      physicalLocation: {
        ...object({ artifactLocation: ref('artifactLocation'), region: ref('region') }),
        anyOf: [{ required: ['address'] }, { required: ['artifactLocation'] }],
      },
      logicalLocations: list(object({ fullyQualifiedName: text, name: text, kind: text }), {
        minItems: 0,
        uniqueItems: true,
      }),
    }),
    artifactLocation: object({
      uri: { type: 'string', format: 'uri-reference' },
      index: whole(-1),
    }),
    region: object({
      startLine: whole(1),
      startColumn: whole(1),
      endLine: whole(1),
      endColumn: whole(1),
    }),
  },
}
