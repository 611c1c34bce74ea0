import fc from 'fast-check'
import type { ObjectShape, Shape } from '../../core/runtime/fields'
import {
  isOff,
  kindOf,
  type ConfigOf,
  type PolicyName,
  type PolicySet,
} from '../../core/runtime/policies'
import { readConfig } from '../../core/runtime/policies/kind'

/** A specification that takes so many requests a minute from each client. */
export const withRate = <S extends { policies: PolicySet }>(spec: S, requests: number): S => ({
  ...spec,
  policies: { ...spec.policies, rate: { requests, seconds: 60, per: 'client' } },
})

/** How many requests a specification takes in its time; undefined where any number is. */
export const rateOf = ({ policies: { rate } }: { policies: PolicySet }): number | undefined =>
  rate && !isOff(rate) ? rate.requests : undefined

/** Texts by what a field's example is: variations of it that the field still takes. */
const textLike = (shape: Shape & { kind: 'text' }): fc.Arbitrary<string> =>
  fc
    .constantFrom(
      shape.example,
      `${shape.example}a`,
      `a${shape.example}`,
      'plain',
      '/a/b',
      '10.0.0.0/8',
    )
    .map((text) =>
      text.length <= shape.max && shape.why(text) === undefined ? text : shape.example,
    )

/** Values of a shape, as a configuration that is written out whole. */
function values(shape: Shape): fc.Arbitrary<unknown> {
  switch (shape.kind) {
    case 'whole':
      return fc.integer({ min: shape.min, max: Math.min(shape.max, shape.min + 1000) })
    case 'text':
      return textLike(shape)
    case 'flag':
      return fc.boolean()
    case 'choice':
      return fc.constantFrom(...shape.of.map(({ value }) => value))
    case 'list':
      return fc.array(values(shape.of), { minLength: shape.min, maxLength: Math.min(shape.max, 3) })
    case 'object':
      return members(shape)
    case 'variants':
      return fc.oneof(
        ...Object.entries(shape.of).map(([kind, of]) =>
          members(of).map((rest) => ({ kind, ...rest })),
        ),
      )
  }
}

const members = (shape: ObjectShape): fc.Arbitrary<Record<string, unknown>> =>
  fc.record(
    Object.fromEntries(
      Object.entries(shape.members).map(([name, member]) => [name, values(member.shape)]),
    ),
    {
      requiredKeys: Object.entries(shape.members).flatMap(([name, { optional }]) =>
        optional ? [] : [name],
      ),
    },
  )

/** Configurations of a kind of policy that it takes, with their defaults. */
export const configurations = <N extends PolicyName>(name: N): fc.Arbitrary<ConfigOf<N>> =>
  values(kindOf(name).config.shape)
    .map((value) => readConfig(kindOf(name), value))
    .filter((read) => read.misfits === undefined)
    .map((read) => read.value as ConfigOf<N>)
