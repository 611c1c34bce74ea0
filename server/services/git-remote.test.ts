import { mkdtempSync, rmSync } from 'node:fs'
import http from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { deflateSync } from 'node:zlib'
import { createHash } from 'node:crypto'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { RepositoryHost } from '../../standins/repositories'
import { freePort, listen } from '../../tests/support/gateway'
import { whyNotUnpacked } from './git-pack'
import { fetchCommit, readRefs } from './git-remote'

const folder = mkdtempSync(join(tmpdir(), 'elm-git-'))
const host = new RepositoryHost(folder, 'a-token')
let port: number
let server: http.Server
/** Answers in place of the host, where a test sets it. */
let liar: http.RequestListener | undefined

beforeAll(async () => {
  port = await freePort()
  server = http.createServer((request, response) => (liar ?? host.listener)(request, response))
  await listen(server, port)
  await host.create('readings', { 'openapi.yaml': 'openapi: 3.1.0\n', 'docs/a.md': 'a\n' })
})
afterAll(() => {
  server.close()
  rmSync(folder, { recursive: true })
})

const remote = () => ({ url: `http://127.0.0.1:${port}/git/readings.git`, token: '' })
const allowed = () => [`127.0.0.1:${port}`]

describe('a repository elsewhere', () => {
  it('is read commit by commit, without what came before', async () => {
    const first = await fetchCommit(remote(), 'refs/heads/main', allowed())
    expect(first).toMatchObject({ author: 'Nadia Corrie', message: 'Describe readings' })
    expect(Buffer.from((await first!.file('docs/a.md'))!).toString()).toBe('a\n')
    expect(await first!.file('docs/b.md')).toBeUndefined()
    expect(await first!.file('docs')).toBeUndefined()
    const change = { branch: 'main', path: 'docs/b.md', text: 'b\n', message: 'Add b', author: 'B' }
    const commit = await host.commit('readings', change)
    const next = await fetchCommit(remote(), 'refs/heads/main', allowed())
    expect(next!.commit).toBe(commit)
    expect(next!.commit).not.toBe(first!.commit)
    expect(Buffer.from((await next!.file('docs/b.md'))!).toString()).toBe('b\n')
    expect(await fetchCommit(remote(), 'refs/heads/none', allowed())).toBeUndefined()
    await host.tag('readings', 'v1', 'main')
    const refs = await readRefs(remote(), allowed())
    expect(refs).toContainEqual({ ref: 'refs/tags/v1', commit })
    expect((await fetchCommit(remote(), 'refs/tags/v1', allowed()))!.commit).toBe(commit)
  })

  it('is not read where nothing may be fetched from, and says why it was not', async () => {
    await expect(readRefs(remote(), [])).rejects.toThrow(/private, loopback/)
    const other = { ...remote(), url: `http://127.0.0.1:${port}/git/none.git` }
    await expect(readRefs(other, allowed())).rejects.toThrow(/answered 404/)
    const odd = { ...remote(), url: 'file:///etc' }
    await expect(readRefs(odd, allowed())).rejects.toThrow()
    liar = (_, response) => response.writeHead(401).end()
    await expect(readRefs(remote(), allowed())).rejects.toThrow(/asks for a token/)
    await expect(readRefs({ ...remote(), token: 'no' }, allowed())).rejects.toThrow(/another token/)
    liar = (_, response) => response.writeHead(302, { location: 'http://127.0.0.1:1/' }).end()
    await expect(readRefs(remote(), allowed())).rejects.toThrow(/302/)
    liar = (_, response) => response.end('<html>not git</html>')
    await expect(readRefs(remote(), allowed())).rejects.toThrow()
    liar = undefined
  })
})

/** A pack with one object that says it has so many bytes. */
function packOf(content: Buffer, size: number, type = 3): Buffer {
  const head = Buffer.alloc(12)
  head.write('PACK')
  head.writeUInt32BE(2, 4)
  head.writeUInt32BE(1, 8)
  const sized: number[] = []
  let [low, rest] = [size % 16, Math.floor(size / 16)]
  sized.push((type << 4) | low | (rest > 0 ? 0x80 : 0))
  while (rest > 0) {
    ;[low, rest] = [rest % 128, Math.floor(rest / 128)]
    sized.push(low | (rest > 0 ? 0x80 : 0))
  }
  const body = Buffer.concat([head, Buffer.from(sized), deflateSync(content)])
  return Buffer.concat([body, createHash('sha1').update(body).digest()])
}

describe('a pack', () => {
  const content = Buffer.alloc(3000, 'a')
  it('is unpacked where it comes to no more than is taken', () => {
    expect(whyNotUnpacked(packOf(content, 3000), 3000)).toBeUndefined()
    expect(whyNotUnpacked(packOf(content, 3000), 2999)).toMatch(/more than/)
  })

  it('is refused where it says less of itself than it comes to, or is broken', () => {
    expect(whyNotUnpacked(packOf(content, 10), 3000)).toMatch(/broken/)
    expect(whyNotUnpacked(packOf(content, 4000), 5000)).toMatch(/broken/)
    const whole = packOf(content, 3000)
    for (let end = 0; end < whole.length; end++)
      expect(whyNotUnpacked(whole.subarray(0, end), 3000), String(end)).toBeDefined()
  })

  it('is refused where a difference grows beyond bounds', () => {
    // Base of 1 byte, result of 2^28 bytes.
    const delta = Buffer.from([1, 0x80, 0x80, 0x80, 0x80, 0x01, 0x90, 1])
    const head = packOf(delta, delta.length, 7)
    const at = 13
    const named = Buffer.concat([head.subarray(0, at), Buffer.alloc(20), head.subarray(at)])
    expect(whyNotUnpacked(named, 1024 * 1024)).toMatch(/more than/)
  })
})
