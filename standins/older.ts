import { act, Collection, crud } from './collection'
import { reply, type Call, type Handlers, type Reply } from './rest'

const now = () => new Date().toISOString()

/** Billing and Tariffs: bills and plans of a few accounts. */
export function billing(): Handlers {
  const tariffs = new Collection('tariffId', 'trf', [
    {
      tariffId: 'trf-0041',
      name: 'Careful Household',
      audience: 'household',
      standingPencePerYear: 4200,
      bands: [{ fromCubicMetres: 0, pencePerCubicMetre: 168 }],
      validFrom: '2026-04-01',
      version: 3,
    },
  ])
  const bills = new Collection('billId', 'bil', [
    {
      billId: 'bil-880142',
      kind: 'bill',
      accountId: 'acc-20417',
      state: 'issued',
      periodFrom: '2026-04-01',
      periodTo: '2026-09-30',
      lines: [{ text: 'Water used', cubicMetres: 61, pence: 10248, taxRate: 0 }],
      total: 10248,
      dueOn: '2026-10-28',
    },
  ])
  const plans = new Collection('planId', 'pln', [])
  return {
    ...crud('/tariffs', 'tariffId', tariffs, () => ({ version: 1 })),
    ...crud('/bills', 'billId', bills, () => ({ kind: 'bill', state: 'drafted' })),
    ...act('/bills/{billId}/issue', 'billId', bills, () => ({ state: 'issued' })),
    ...crud('/plans', 'planId', plans, () => ({ state: 'asked' })),
  }
}

/** Tanker Dispatch: two tankers and a job. */
export function tankers(): Handlers {
  const fleet = new Collection('id', 'T', [
    { id: 'T-12', litres: 18_000, depot: 'Coldbeck', state: 'moving' },
    { id: 'T-14', litres: 24_000, depot: 'Hollin Quay', state: 'idle' },
  ])
  const jobs = new Collection('jobId', 'J', [
    { jobId: 'J-901', incident: 'INT-2291', priority: 2, tanker: 'T-12' },
  ])
  return {
    ...crud('/tankers', 'id', fleet, () => ({ state: 'idle' })),
    ...crud('/Jobs', 'jobId', jobs),
    'GET /depots': () => reply(['Ashford Mere', 'Coldbeck', 'Hollin Quay']),
  }
}

/** Connections and Permits: an application on its way. */
export function connections(): Handlers {
  const applications = new Collection('applicationId', 'app', [
    {
      applicationId: 'app-004417',
      kind: 'household',
      state: 'quoted',
      site: { postcode: 'BM4 7QT', plot: '12' },
      askedAt: '2026-10-02T09:12:00Z',
    },
  ])
  const permits = new Collection('permitId', 'prm', [])
  const surveys = new Collection('surveyId', 'srv', [])
  return {
    ...crud('/applications', 'applicationId', applications, () => ({
      state: 'asked',
      askedAt: now(),
    })),
    ...act('/applications/{applicationId}/quote/accept', 'applicationId', applications, () => ({
      state: 'accepted',
    })),
    ...crud('/permits', 'permitId', permits),
    ...crud('/surveys', 'surveyId', surveys),
  }
}

const escaped = (text: string) =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;')
const xml = (body: string, status = 200): Reply => ({ status, mediaType: 'application/xml', body })
const hydrantSpace = 'urn:brackenmere.example:hydrants'

/** Hydrant Register: XML, as it has always been. */
export function hydrants(): Handlers {
  const list: Record<string, [street: string, state: string]> = {
    'H-104': ['Alder Lane', 'good'],
    'H-105': ['Rowan Close', 'weak'],
  }
  const one = (number: string) => {
    const [street, state] = list[number]!
    return `<hydrant xmlns="${hydrantSpace}" state="${state}"><number>${number}</number><street>${street}</street><outlet millimetres="65"/></hydrant>`
  }
  return {
    'GET /hydrants': () =>
      xml(`<hydrants xmlns="${hydrantSpace}">${Object.keys(list).map(one).join('')}</hydrants>`),
    'GET /hydrants/{number}': ({ params }) =>
      Object.hasOwn(list, params['number']!)
        ? xml(one(params['number']!))
        : xml(`<fault xmlns="${hydrantSpace}"><text>No such hydrant</text></fault>`, 404),
    'GET /areas': () => xml('<areas><area>BM1</area><area>BM2</area></areas>'),
  }
}

const samples = 'urn:brackenmere.example:lab:samples'
const results = 'urn:brackenmere.example:lab:results'

const envelope = (body: string, status = 200): Reply => ({
  status,
  mediaType: 'text/xml',
  body: `<?xml version="1.0"?><soap:Envelope xmlns:soap="http://schemas.xmlsoap.org/soap/envelope/"><soap:Body>${body}</soap:Body></soap:Envelope>`,
})
const fault = (code: string, text: string) =>
  envelope(
    `<soap:Fault><faultcode>soap:Client</faultcode><faultstring>${escaped(text)}</faultstring><detail><labFault xmlns="${samples}"><code>${code}</code><text>${escaped(text)}</text></labFault></detail></soap:Fault>`,
    500,
  )
const element = (text: string, name: string) =>
  new RegExp(`<(?:\\w+:)?${name}>([^<]{0,200})<`).exec(text)?.[1]

/** Lab Sampling: SOAP 1.1, at one address; the first element of the body says what is asked. */
export function laboratory(): Handlers {
  const known = new Map([['S-0004417', 'tap']])
  let next = 5000
  const sample = (id: string) =>
    `<sample xmlns="${samples}" recordedBy="lab" recordedAt="${now()}"><id>${id}</id><kind>${known.get(id)}</kind></sample>`
  const withSample = ({ text }: Call, tag: string, answer: (id: string) => string) => {
    const id = element(text, tag)
    if (id === undefined) return fault('invalid', `The message names no ${tag}`)
    return known.has(id) ? envelope(answer(id)) : fault('unknown', `No sample is called ${id}`)
  }
  const operations: Record<string, (call: Call) => Reply> = {
    registerSample: ({ text }) => {
      const kind = element(text, 'kind')
      if (kind === undefined) return fault('invalid', 'The sample says no kind')
      const id = `S-${String(next++).padStart(7, '0')}`
      known.set(id, kind)
      return envelope(
        `<registerSampleResponse xmlns="${samples}"><id>${id}</id></registerSampleResponse>`,
      )
    },
    getSample: (call) =>
      withSample(
        call,
        'id',
        (id) => `<getSampleResponse xmlns="${samples}">${sample(id)}</getSampleResponse>`,
      ),
    findSamples: () =>
      envelope(
        `<findSamplesResponse xmlns="${samples}">${[...known.keys()].map(sample).join('')}</findSamplesResponse>`,
      ),
    listPoints: () =>
      envelope(
        `<listPointsResponse xmlns="${samples}"><point><code>BM12-TAP</code><name>Mill End tap</name><zone>BM2</zone></point></listPointsResponse>`,
      ),
    discardSample: ({ text }) => {
      known.delete(element(text, 'id') ?? '')
      return { status: 202 }
    },
    getResults: (call) =>
      withSample(
        call,
        'sampleId',
        () =>
          `<getResultsResponse xmlns="${results}"><remark><analyst>lab</analyst><text>clear</text></remark></getResultsResponse>`,
      ),
    approveResults: (call) =>
      withSample(
        call,
        'sampleId',
        () =>
          `<approveResultsResponse xmlns="${results}"><approvedAt>${now()}</approvedAt></approveResultsResponse>`,
      ),
  }

  return {
    'POST ': (call) => {
      const asked = /<(?:\w+:)?Body[^>]*>\s*<(?:\w+:)?(\w+)/.exec(call.text)?.[1] ?? ''
      return Object.hasOwn(operations, asked)
        ? operations[asked]!(call)
        : fault('unknown', `There is no operation ${asked}`)
    },
  }
}
