import { describe, expect, it } from 'vitest'
import { compareCertificates, type Speaking } from './certificates'

type Held = Speaking['certificates'][number]

const now = Date.UTC(2026, 10, 29)
const held = (names: string[], ends: string, begins = '2026-01-01'): Held => ({
  names,
  issuer: 'Brackenmere Works',
  begins: `${begins}T00:00:00.000Z`,
  ends: `${ends}T00:00:00.000Z`,
})
const host = 'api.brackenmere.example'
const compared = (own: Held[], other?: Held[]) =>
  compareCertificates(
    [host, host],
    { gateway: 'south-edge', certificates: own },
    other ? [{ gateway: 'north-edge', certificates: other }] : [],
    now,
  ).map(({ where, what, ledger, gateway, cause }) => [where, what, ledger, gateway, cause])

describe('certificates of a gateway', () => {
  it('are as they should be where one is valid for each host', () => {
    expect(compared([held([host], '2027-03-01')])).toEqual([])
    expect(compared([held(['*.brackenmere.example'], '2027-03-01')])).toEqual([])
    // One that ended beside one that is valid is none of anybody's concern.
    expect(compared([held([host], '2026-11-01'), held([host], '2027-03-01')])).toEqual([])
  })

  it('differ where there is none for a host', () => {
    const none = [
      ...[host, 'certificate', 'one for this host', 'none'],
      `south-edge has no certificate for ${host}, so that nobody can call it by HTTPS`,
    ]
    expect(compared([])).toEqual([none])
    expect(compared([held(['portal.brackenmere.example'], '2027-03-01')])).toEqual([none])
  })

  it('differ where the one that is shown ended, or has not begun', () => {
    expect(compared([held([host], '2026-11-29')])[0]!.slice(2)).toEqual([
      ...['one that is valid', 'ended on 2026-11-29'],
      `The certificate for ${host} at south-edge ended on 2026-11-29, and no other one is there`,
    ])
    expect(compared([held([host], '2027-11-01', '2026-12-01')])[0]![3]).toBe('begins on 2026-12-01')
  })

  it('differ where others of the group show one that was renewed, and only at the gateway with the old one', () => {
    const [old, renewed] = [[held([host], '2026-12-24')], [held([host], '2027-12-24')]]
    expect(compared(old, renewed)).toEqual([
      [
        ...[host, 'certificate'],
        'as north-edge: of Brackenmere Works, until 2027-12-24',
        'of Brackenmere Works, until 2026-12-24',
        `The certificate for ${host} was renewed at north-edge, and not at south-edge`,
      ],
    ])
    expect(compared(renewed, old)).toEqual([])
    expect(compared(old, old)).toEqual([])
    // What the other has is not known to be better.
    expect(compared(old, [])).toEqual([])
    expect(compared(old, [held([host], '2028-01-01', '2027-01-01')])).toEqual([])
  })
})
