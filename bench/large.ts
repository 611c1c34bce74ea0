/** A definition of real shape with so many operations: about 530 bytes of JSON each. */
export function largeDefinition(operations: number): Record<string, unknown> {
  const paths: Record<string, unknown> = {}
  for (let n = 0; n < operations; n++) {
    paths[`/things-${n}/{thingId}`] = {
      get: {
        operationId: `getThing${n}`,
        summary: `Read thing ${n}`,
        description: 'One of very many things, described at the length a person would write it.',
        tags: [`Group ${n % 40}`],
        parameters: [
          {
            name: 'thingId',
            in: 'path',
            required: true,
            description: 'The thing.',
            schema: { type: 'string' },
          },
        ],
        responses: {
          200: {
            description: 'The thing',
            content: {
              'application/json': {
                schema: { $ref: '#/components/schemas/Thing' },
                example: { thingId: 't-1', count: 3 },
              },
            },
          },
          404: { $ref: '#/components/responses/Missing' },
        },
      },
    }
  }
  return {
    openapi: '3.1.0',
    info: {
      title: `Large ${operations}`,
      version: '1.0.0',
      description: 'A large definition for a large test.',
      contact: { email: 'field@brackenmere.example' },
    },
    servers: [{ url: 'https://api.brackenmere.example/large' }],
    security: [{ apiKey: [] }],
    paths,
    components: {
      securitySchemes: { apiKey: { type: 'apiKey', in: 'header', name: 'X-Api-Key' } },
      responses: {
        Missing: {
          description: 'There is no such thing',
          content: {
            'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } },
          },
        },
      },
      schemas: {
        Thing: {
          type: 'object',
          properties: {
            thingId: { type: 'string' },
            count: { type: 'integer', description: 'How many.' },
          },
        },
        Problem: { type: 'object', properties: { title: { type: 'string' } } },
      },
    },
  }
}
