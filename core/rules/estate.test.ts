import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { estateOf, estatesOf, type EstatePart } from './estate'

const part = fc.record({
  api: fc.constantFrom('hydrants', 'valves', 'meters', 'crews'),
  basePaths: fc.uniqueArray(fc.constantFrom('a/x', 'a/y', 'b/x')),
  schemas: fc.uniqueArray(
    fc.tuple(fc.constantFrom('Area', 'Crew', 'Error'), fc.constantFrom('1', '2')),
    { selector: ([name]) => name },
  ),
})
const parts = fc.uniqueArray(part, { selector: ({ api }) => api })

const looking = ({ api, basePaths, schemas }: EstatePart) => ({
  api,
  basePaths,
  schemas: schemas.map(([name]) => name),
})

/** The shapes of one name, in whatever order they were met. */
const byShape = (shapes: { shape: string; apis: string[] }[] = []) =>
  Object.fromEntries(shapes.map(({ shape, apis }) => [shape, [...apis].sort()]))

describe('the estate as one API sees it', () => {
  it('is what all others hold, of what it asks for', () => {
    fc.assert(
      fc.property(parts, (all) => {
        const seenBy = estatesOf(all)
        for (const own of all) {
          const whole = estateOf(all, own.api)
          const seen = seenBy(looking(own))
          for (const path of own.basePaths)
            expect(seen.basePaths[path]).toEqual(whole.basePaths[path])
          for (const [name] of own.schemas)
            expect(byShape(seen.schemas[name])).toEqual(byShape(whole.schemas[name]))
        }
      }),
    )
  })

  it('looks for names that add nothing to the estate themselves', () => {
    const seenBy = estatesOf([{ api: 'valves', basePaths: [], schemas: [['Area', '1']] }])
    expect(seenBy({ api: 'hydrants', basePaths: [], schemas: ['Area', 'constructor'] })).toEqual({
      basePaths: {},
      schemas: { Area: [{ shape: '1', apis: ['valves'] }] },
    })
  })
})
