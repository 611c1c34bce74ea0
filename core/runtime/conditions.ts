import { canonicalName } from './headers'

/** What a request has to say besides method and path, to the letter (Gateway API v1, HTTPHeaderMatch and HTTPQueryParamMatch). */
export interface Condition {
  in: 'header' | 'query'
  name: string
  value: string
}

/** The values a request has for what a condition asks about; none, or more than one, fulfil no condition. */
export type Values = (condition: Condition) => readonly string[]

export const fulfils = (conditions: readonly Condition[], values: Values): boolean =>
  conditions.every((condition) => {
    const [value, ...more] = values(condition)
    return value === condition.value && more.length === 0
  })

export const conditionText = ({ in: place, name, value }: Condition) =>
  place === 'header' ? `${canonicalName(name)}: ${value}` : `?${name}=${value}`

/** ` with x-channel: field`, for the end of a route’s name; empty where nothing is asked. */
export const conditionsText = (conditions: readonly Condition[]) =>
  conditions.length === 0 ? '' : ` with ${conditions.map(conditionText).sort().join(' and ')}`
