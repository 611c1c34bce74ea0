import { sha256 } from '@noble/hashes/sha2.js'
import { bytesToHex, concatBytes, hexToBytes, utf8ToBytes } from '@noble/hashes/utils.js'
import { canonical } from '../text/canonical'
import type { EntryBody } from './chain'

/**
 * The Merkle tree over the entries of the ledger, with the hashing of RFC 6962, section 2.1: leaves and nodes are told
 * apart by their first byte, and the left subtree of n entries has the largest power of two below n. Hashes are in
 * hexadecimal; entries are counted from 0 here and numbered from 1 elsewhere.
 */
export const leafHash = (data: string): string =>
  bytesToHex(sha256(concatBytes(Uint8Array.of(0), utf8ToBytes(data))))

export const nodeHash = (left: string, right: string): string =>
  bytesToHex(sha256(concatBytes(Uint8Array.of(1), hexToBytes(left), hexToBytes(right))))

/** The root of no entries. */
export const emptyRoot = bytesToHex(sha256(new Uint8Array()))

/** The leaf of an entry: over the canonical form of what it says and the hash before it, as its own hash is. */
export const entryLeaf = (
  { number, at, actor, action, subject, before, after }: EntryBody,
  previous: string,
): string => leafHash(canonical({ number, at, actor, action, subject, before, after, previous }))

/** A whole subtree of 2^level entries, the index-th of its level. */
export interface TreeNode {
  level: number
  index: number
  hash: string
}

/** The whole subtrees that n entries are made of, from the left: what one has to know to add the next. */
export function frontier(size: number): Omit<TreeNode, 'hash'>[] {
  const nodes: Omit<TreeNode, 'hash'>[] = []
  let from = 0
  for (let level = 52; level >= 0; level--) {
    const width = 2 ** level
    if (size - from < width) continue
    nodes.push({ level, index: from / width })
    from += width
  }
  return nodes
}

/** Grows a tree by leaves, and says which whole subtrees that completes. */
export class TreeBuilder {
  private readonly right: TreeNode[]

  /** `nodes` are those of {@link frontier}, with their hashes. */
  constructor(
    private count = 0,
    nodes: TreeNode[] = [],
  ) {
    this.right = [...nodes]
  }

  get size(): number {
    return this.count
  }

  add(leaf: string): TreeNode[] {
    let node: TreeNode = { level: 0, index: this.count++, hash: leaf }
    const made = [node]
    while (node.index % 2 === 1) {
      const left = this.right.pop()!
      node = {
        level: node.level + 1,
        index: (node.index - 1) / 2,
        hash: nodeHash(left.hash, node.hash),
      }
      made.push(node)
    }
    this.right.push(node)
    return made
  }

  root(): string {
    const [last, ...rest] = [...this.right].reverse()
    if (!last) return emptyRoot
    return rest.reduce((hash, left) => nodeHash(left.hash, hash), last.hash)
  }
}

/** The hash of a whole subtree, by level and index. */
export type NodeHash = (level: number, index: number) => string

const isWhole = (from: number, to: number) => {
  const width = to - from
  return Number.isInteger(Math.log2(width)) && from % width === 0
}

const split = (width: number) => 2 ** Math.ceil(Math.log2(width) - 1)

/** The root of the entries from..to. */
function rangeRoot(from: number, to: number, hash: NodeHash): string {
  if (isWhole(from, to)) return hash(Math.log2(to - from), from / (to - from))
  const middle = from + split(to - from)
  return nodeHash(rangeRoot(from, middle, hash), rangeRoot(middle, to, hash))
}

export const rootOf = (size: number, hash: NodeHash) =>
  size === 0 ? emptyRoot : rangeRoot(0, size, hash)

/** The path from an entry to the root of `size` entries (RFC 6962, section 2.1.1). */
export function inclusionProof(index: number, size: number, hash: NodeHash): string[] {
  const proof: string[] = []
  let [from, to] = [0, size]
  const path: string[] = []
  while (to - from > 1) {
    const middle = from + split(to - from)
    if (index < middle) {
      path.push(rangeRoot(middle, to, hash))
      to = middle
    } else {
      path.push(rangeRoot(from, middle, hash))
      from = middle
    }
  }
  proof.push(...path.reverse())
  return proof
}

/** The root that a leaf and its proof lead to; undefined where the proof has the wrong length. */
export function rootFromInclusion(
  leaf: string,
  index: number,
  size: number,
  proof: string[],
): string | undefined {
  if (index < 0 || index >= size) return undefined
  const sides: ('left' | 'right')[] = []
  let [from, to] = [0, size]
  while (to - from > 1) {
    const middle = from + split(to - from)
    sides.push(index < middle ? 'right' : 'left')
    if (index < middle) to = middle
    else from = middle
  }
  if (sides.length !== proof.length) return undefined
  return sides
    .reverse()
    .reduce(
      (hash, side, i) => (side === 'right' ? nodeHash(hash, proof[i]!) : nodeHash(proof[i]!, hash)),
      leaf,
    )
}

/** Shows that the tree of `first` entries is the beginning of that of `second` (RFC 6962, section 2.1.2). */
export function consistencyProof(first: number, second: number, hash: NodeHash): string[] {
  if (first === 0 || first === second) return []
  const proof: string[] = []
  const walk = (known: number, from: number, to: number, whole: boolean): void => {
    if (known === to - from) {
      if (!whole) proof.push(rangeRoot(from, to, hash))
      return
    }
    const left = split(to - from)
    if (known <= left) {
      walk(known, from, from + left, whole)
      proof.push(rangeRoot(from + left, to, hash))
    } else {
      walk(known - left, from + left, to, false)
      proof.push(rangeRoot(from, from + left, hash))
    }
  }
  walk(first, 0, second, true)
  return proof
}

/** Whether a proof leads from one root to another. */
export function isConsistent(
  first: { size: number; root: string },
  second: { size: number; root: string },
  proof: string[],
): boolean {
  if (first.size === second.size) return proof.length === 0 && first.root === second.root
  if (first.size === 0) return proof.length === 0
  if (first.size > second.size) return false
  const rest = [...proof]
  const take = () => rest.shift()
  /** The roots of the known part and of all of it, for one subtree. */
  const walk = (known: number, size: number, whole: boolean): [string, string] | undefined => {
    if (known === size) {
      const hash = whole ? first.root : take()
      return hash === undefined ? undefined : [hash, hash]
    }
    const left = split(size)
    if (known <= left) {
      const below = walk(known, left, whole)
      const right = take()
      return below && right !== undefined ? [below[0], nodeHash(below[1], right)] : undefined
    }
    const below = walk(known - left, size - left, false)
    const first_ = take()
    return below && first_ !== undefined
      ? [nodeHash(first_, below[0]), nodeHash(first_, below[1])]
      : undefined
  }
  const roots = walk(first.size, second.size, true)
  return roots?.[0] === first.root && roots[1] === second.root && rest.length === 0
}

/** What is signed: so many entries with this root, at this time (ISO 8601). */
export interface TreeHead {
  size: number
  root: string
  at: string
}

export interface SignedHead extends TreeHead {
  /** Ed25519 (RFC 8032) over {@link headText}, in base64. */
  signature: string
}

/** The bytes of a head that are signed. */
export const headText = ({ size, root, at }: TreeHead) =>
  canonical({ kind: 'elm-ledger-head', size, root, at })
