import { readdirSync, readFileSync, statSync } from 'node:fs'
import { dirname, join, relative } from 'node:path'
import { describe, expect, it } from 'vitest'
import { breaksOf, publishedTargets } from '../../tests/support/published'
import { readHouse } from '../../tests/support/rules'
import { completeSample } from '../rules/samples'
import { convert } from './convert'
import { looksLikeDefinition } from './detect'
import { readDefinition } from './read'

const folder = 'demo/definitions'
const files = readdirSync(folder, { recursive: true, encoding: 'utf8' }).filter((name) => {
  const path = join(folder, name)
  return (
    statSync(path).isFile() &&
    !name.endsWith('.xsd') &&
    looksLikeDefinition(readFileSync(path, 'utf8'))
  )
})

function contractOf(file: string, text: string, root = '.') {
  const reading = readDefinition({ file, text }, (name) => {
    const path = join(root, name)
    return statSync(path, { throwIfNoEntry: false }) ? readFileSync(path, 'utf8') : undefined
  })
  if (!reading.readable) throw new Error(JSON.stringify(reading.diagnostics))
  return reading.contract
}

/** What breaks the published schema of each format that a definition is converted to. */
async function breaks(file: string, text: string, root?: string): Promise<string[]> {
  const contract = contractOf(file, text, root)
  const found = publishedTargets.map(async (target) => {
    const document: unknown = JSON.parse(convert(contract, target, 'bundle', 'json').text)
    return (await breaksOf(document, target)).map((fault) => `${target} ${fault}`)
  })
  return (await Promise.all(found)).flat()
}

describe('the published schemas', () => {
  it('find fault with what is none', async () => {
    for (const target of publishedTargets)
      expect(await breaksOf({ openapi: '3.1.0', info: {} }, target)).not.toEqual([])
  })

  it.each(files)('are kept by what %s is converted to', async (name) => {
    const path = join(folder, name)
    const root = dirname(path)
    expect(await breaks(relative(root, path), readFileSync(path, 'utf8'), root)).toEqual([])
  })

  it('are kept by what every sample of the house rules is converted to', async () => {
    const samples = readHouse().rules.flatMap(({ samples: { passes, breaks: faulty } }) => [
      ...passes,
      ...faulty,
    ])
    const said = new Set<string>()
    let converted = 0
    for (const text of samples.map(completeSample)) {
      try {
        contractOf('a.yaml', text)
      } catch {
        continue
      }
      converted++
      for (const fault of await breaks('a.yaml', text)) said.add(`${fault}\n${text}`)
    }
    expect(converted).toBeGreaterThan(150)
    expect([...said]).toEqual([])
  }, 120_000)

  it.each(Object.entries(awkward()))('are kept by %s', async (_, text) => {
    expect(await breaks('a', text)).toEqual([])
  })
})

it('has whole addresses of tokens in Swagger 2.0, or a scheme that asks for none', () => {
  const schemes = (name: string) => {
    const { text } = convert(contractOf('a', awkward()[name]!), 'swagger-2.0', 'bundle', 'json')
    return (JSON.parse(text) as { securityDefinitions: Record<string, object> }).securityDefinitions
  }
  expect(schemes('a token address that is relative')['tokens']).toMatchObject({
    type: 'oauth2',
    tokenUrl: 'https://api.brackenmere.example/oauth/token',
  })
  expect(schemes('a relative token address without any server')['tokens']).toMatchObject({
    type: 'apiKey',
  })
})

function awkward(): Record<string, string> {
  const openApi = (more: object) =>
    JSON.stringify({ openapi: '3.1.0', info: { title: 'A', version: '1' }, ...more })
  return {
    'RAML methods without responses': `#%RAML 1.0
title: Valves
version: v1
/valves:
  get:
    description: All of them
  /{valveId}:
    delete:
`,
    'a token address that is relative': openApi({
      servers: [{ url: 'https://api.brackenmere.example/valves/v1' }],
      paths: {},
      components: {
        securitySchemes: {
          tokens: {
            type: 'oauth2',
            flows: {
              clientCredentials: { tokenUrl: '/oauth/token', refreshUrl: 'refresh', scopes: {} },
              authorizationCode: { authorizationUrl: 'auth', tokenUrl: 'token', scopes: {} },
            },
          },
        },
      },
    }),
    'a relative token address without any server': openApi({
      paths: {},
      components: {
        securitySchemes: {
          tokens: {
            type: 'oauth2',
            flows: { clientCredentials: { tokenUrl: 'token', scopes: { read: 'Reading' } } },
          },
        },
      },
    }),
    'examples of a schema that are no list': `openapi: 3.0.3
info: { title: A, version: '1' }
paths: {}
components:
  schemas:
    Valve: { type: object, examples: { open: { turns: 3 } } }
    Pipe: { type: string, examples: wide }
`,
    'XML of attributes and elements': openApi({
      paths: {},
      components: {
        schemas: {
          Valve: {
            type: 'object',
            xml: { name: 'valve', namespace: 'urn:valves', prefix: 'v' },
            properties: { id: { type: 'string', xml: { attribute: true } } },
          },
        },
      },
    }),
    'operations without responses': openApi({ paths: { '/valves': { get: {}, post: {} } } }),
    'webhooks, callbacks and links': openApi({
      paths: {
        '/valves': {
          get: {
            responses: {
              200: {
                description: 'All',
                links: { next: { operationRef: '#/paths/~1valves/get' } },
              },
            },
            callbacks: { turned: { '{$request.query.url}': { post: {} } } },
          },
        },
      },
      webhooks: { turned: { post: { requestBody: { content: { 'application/json': {} } } } } },
    }),
  }
}
