import { schemaOf } from '../fields'
import { policyKinds, policyNames } from '.'

/** The JSON Schema (2020-12) of a set of policies as it may be written. */
export const policySetSchema = (): Record<string, unknown> => ({
  type: 'object',
  properties: Object.fromEntries(
    policyNames.map((name) => [name, { oneOf: [schemaOf(policyKinds[name].config.shape), off] }]),
  ),
  additionalProperties: false,
})

const off = {
  type: 'object',
  properties: {
    off: {
      type: 'string',
      minLength: 1,
      maxLength: 500,
      description: 'Why what outer scopes say does not hold here.',
    },
  },
  required: ['off'],
  additionalProperties: false,
  description: 'There is none here, whatever outer scopes say.',
}
