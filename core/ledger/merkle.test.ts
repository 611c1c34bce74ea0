import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import {
  consistencyProof,
  emptyRoot,
  frontier,
  inclusionProof,
  isConsistent,
  leafHash,
  nodeHash,
  rootFromInclusion,
  rootOf,
  TreeBuilder,
  type NodeHash,
} from './merkle'

/** The tree by its definition, without any cleverness. */
function plainRoot(leaves: string[]): string {
  if (leaves.length === 0) return emptyRoot
  if (leaves.length === 1) return leaves[0]!
  let left = 1
  while (left * 2 < leaves.length) left *= 2
  return nodeHash(plainRoot(leaves.slice(0, left)), plainRoot(leaves.slice(left)))
}

const leavesOf = (count: number) => Array.from({ length: count }, (_, i) => leafHash(`entry ${i}`))

function grown(leaves: string[]): { builder: TreeBuilder; hash: NodeHash } {
  const builder = new TreeBuilder()
  const nodes = new Map<string, string>()
  for (const leaf of leaves)
    for (const { level, index, hash } of builder.add(leaf)) nodes.set(`${level} ${index}`, hash)
  return { builder, hash: (level, index) => nodes.get(`${level} ${index}`)! }
}

const sizes = fc.integer({ min: 1, max: 70 })

describe('the tree', () => {
  it('hashes as RFC 6962 says', () => {
    expect(emptyRoot).toBe('e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855')
    expect(leafHash('')).toBe('6e340b9cffb37a989ca544e6bb780a2c78901d3fb33738768511a30617afa01d')
  })

  it('has the root of its definition, whether it grew or is asked for', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 70 }), (size) => {
        const leaves = leavesOf(size)
        const { builder, hash } = grown(leaves)
        expect(builder.root()).toBe(plainRoot(leaves))
        expect(rootOf(size, hash)).toBe(plainRoot(leaves))
      }),
    )
  })

  it('grows on from its frontier alone', () => {
    fc.assert(
      fc.property(sizes, sizes, (size, more) => {
        const leaves = leavesOf(size + more)
        const { hash } = grown(leaves.slice(0, size))
        const nodes = frontier(size).map((node) => ({
          ...node,
          hash: hash(node.level, node.index),
        }))
        const builder = new TreeBuilder(size, nodes)
        for (const leaf of leaves.slice(size)) builder.add(leaf)
        expect(builder.root()).toBe(plainRoot(leaves))
      }),
    )
  })

  it('proves every entry, and nothing else', () => {
    fc.assert(
      fc.property(sizes, fc.nat(), (size, n) => {
        const index = n % size
        const leaves = leavesOf(size)
        const proof = inclusionProof(index, size, grown(leaves).hash)
        expect(rootFromInclusion(leaves[index]!, index, size, proof)).toBe(plainRoot(leaves))
        expect(rootFromInclusion(leafHash('other'), index, size, proof)).not.toBe(plainRoot(leaves))
        expect(rootFromInclusion(leaves[index]!, index, size, [...proof, emptyRoot])).toBe(
          undefined,
        )
        if (size > 1) {
          const other = (index + 1) % size
          expect(rootFromInclusion(leaves[index]!, other, size, proof)).not.toBe(plainRoot(leaves))
        }
      }),
    )
  })

  it('proves that a head goes on from an earlier one, and from no other', () => {
    fc.assert(
      fc.property(sizes, fc.nat(), (second, n) => {
        const first = n % (second + 1)
        const leaves = leavesOf(second)
        const proof = consistencyProof(first, second, grown(leaves).hash)
        const [early, late] = [first, second].map((size) => ({
          size,
          root: plainRoot(leaves.slice(0, size)),
        })) as [{ size: number; root: string }, { size: number; root: string }]
        expect(isConsistent(early, late, proof)).toBe(true)
        const forged = [...leaves]
        if (first > 0) {
          forged[first - 1] = leafHash('forged')
          expect(
            isConsistent({ size: first, root: plainRoot(forged.slice(0, first)) }, late, proof),
          ).toBe(false)
        }
        if (first > 0 && first < second)
          expect(isConsistent(early, late, proof.slice(1))).toBe(false)
      }),
    )
  })
})
