import { choice, object } from '../fields'
import { policyKind } from './kind'

const strictness = ['served', 'redirected', 'refused'] as const

export const transport = policyKind({
  resource: 'HTTPRoute',
  step: 'listen',
  title: 'Plain HTTP',
  says: 'What becomes of requests that come without TLS. Written by Gateway API’s own means: the routes are attached to the HTTPS listener of their gateway (sectionName), and where plain requests are redirected, a route at the HTTP listener does it (HTTPRequestRedirectFilter). HTTPS is spoken from TLS 1.2 on, with the certificate that the gateway has for the host name. It holds for a whole placement.',
  config: object(
    { label: 'Plain HTTP', says: 'Requests without TLS.' },
    {
      plain: choice(
        [
          { value: 'redirected', label: 'redirected to HTTPS (301)' },
          { value: 'refused', label: 'not served' },
          { value: 'served', label: 'served like HTTPS' },
        ],
        { label: 'Without TLS', says: 'What becomes of them.', default: 'redirected' },
      ),
    },
  ),
  words: ({ plain }) =>
    plain === 'served'
      ? { text: 'served with and without TLS' }
      : plain === 'redirected'
        ? { text: 'HTTPS only', note: 'plain requests are sent there with 301' }
        : { text: 'HTTPS only', note: 'plain requests find nothing here' },
  loosens: (outer, inner) =>
    strictness.indexOf(inner.plain) < strictness.indexOf(outer.plain)
      ? `plain requests are ${inner.plain}`
      : undefined,
})
