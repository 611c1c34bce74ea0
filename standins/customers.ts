import { act, Collection, crud, missing } from './collection'
import { problem, reply, type Handlers } from './rest'

const now = () => new Date().toISOString()

/** Meter Readings; a reading lower than the last one is refused, as the definition says. */
export function meterReadings(): Handlers {
  const meters = new Collection('meterId', 'mtr', [
    {
      meterId: 'mtr-88213',
      serialNumber: 'BW-20-118823',
      kind: 'smart',
      state: 'active',
      position: 'Boundary box, front path',
      lastReadAt: '2026-11-18T09:12:00Z',
      postcode: 'BM3 1',
    },
    {
      meterId: 'mtr-88214',
      serialNumber: 'BW-19-004410',
      kind: 'dial',
      state: 'active',
      position: 'Under the kitchen sink',
      postcode: 'BM3 1',
    },
  ])
  const readings = new Collection('readingId', 'rdg', [
    {
      readingId: 'rdg-550192',
      meterId: 'mtr-88213',
      readAt: '2026-11-18T09:12:00Z',
      volumeM3: 482.13,
      volumeLitres: 482_130,
      source: 'radio',
      state: 'accepted',
    },
  ])
  const last = new Map<string, number>([['mtr-88213', 482_130]])
  const batches = new Collection('batchId', 'bat', [
    {
      batchId: 'bat-310',
      submittedAt: '2026-11-20T02:00:00Z',
      state: 'done',
      accepted: 4987,
      rejected: 13,
    },
  ])
  const alerts = new Collection('alertId', 'alr', [
    {
      alertId: 'alr-71',
      meterId: 'mtr-88213',
      kind: 'continuous-flow',
      raisedAt: '2026-11-22T03:00:00Z',
      state: 'open',
      flowLitresPerHour: 46.5,
    },
  ])
  const rounds = new Collection('roundId', 'rnd', [
    { roundId: 'rnd-6', name: 'Upper valley, even months', meters: 412, nextOn: '2026-12-03' },
  ])
  return {
    ...crud('/meters', 'meterId', meters),
    'POST /meters/{meterId}/exchange': ({ params, body }) => {
      const meter = meters.change(params['meterId']!, { serialNumber: body['newSerialNumber'] })
      if (meter) last.delete(params['meterId']!)
      return meter ? reply(meter) : missing('meter')
    },
    'GET /meters/{meterId}/readings': ({ params, query }) =>
      readings.page(query, (item) => item['meterId'] === params['meterId']),
    'POST /meters/{meterId}/readings': ({ params, body }) => {
      const meterId = params['meterId']!
      if (!meters.get(meterId)) return missing('meter')
      const litres = Number(body['volumeLitres'] ?? Number(body['volumeM3']) * 1000)
      if (!Number.isFinite(litres)) return problem(400, 'Bad request', 'The reading has no volume.')
      if (litres < (last.get(meterId) ?? 0))
        return problem(409, 'Conflict', 'The reading is lower than the last one.')
      last.set(meterId, litres)
      return reply(readings.add({ ...body, meterId, state: 'accepted' }), 201)
    },
    ...crud('/readings', 'readingId', readings),
    ...act('/readings/{readingId}/confirm', 'readingId', readings, () => ({ state: 'accepted' })),
    'GET /meters/{meterId}/consumption': ({ params, query }) =>
      reply({
        meterId: params['meterId'],
        from: query.get('from') ?? '2026-10-01',
        to: query.get('to') ?? '2026-10-31',
        litres: 10_540,
        litresPerDay: 340,
      }),
    'GET /meters/{meterId}/estimates/next': ({ params }) =>
      reply({
        meterId: params['meterId'],
        volumeM3: (last.get(params['meterId']!) ?? 0) / 1000 + 10.5,
        confidence: 0.82,
      }),
    'GET /meters/{meterId}/alerts': ({ params, query }) =>
      alerts.page(query, (item) => item['meterId'] === params['meterId']),
    ...act('/alerts/{alertId}/acknowledge', 'alertId', alerts, () => ({ state: 'acknowledged' })),
    'POST /batches': ({ body }) => {
      const count = Array.isArray(body['readings']) ? body['readings'].length : 0
      return reply(
        batches.add({ submittedAt: now(), state: 'done', accepted: count, rejected: 0 }),
        202,
      )
    },
    'GET /batches': ({ query }) => batches.page(query),
    'GET /batches/{batchId}': ({ params }) => {
      const batch = batches.get(params['batchId']!)
      return batch ? reply(batch) : missing('batch')
    },
    'GET /batches/{batchId}/rejections': () =>
      reply({ items: [{ meterId: 'mtr-90002', reason: 'lower-than-last' }] }),
    ...crud('/rounds', 'roundId', rounds),
  }
}

/** Customer Accounts: one household, its premises and statements. */
export function customerAccounts(): Handlers {
  const holder = {
    givenName: 'Imogen',
    familyName: 'Thackeray',
    email: 'imogen.thackeray@post.example',
    phone: '01632 960114',
  }
  const accounts = new Collection('accountId', 'acc', [
    {
      accountId: 'acc-20417',
      accountNumber: '4471 2098 13',
      holder,
      state: 'open',
      openedOn: '2019-04-01',
      balancePence: -1250,
    },
  ])
  const contacts = new Collection('contactId', 'con', [
    { contactId: 'con-3', person: holder, relation: 'carer' },
  ])
  const premises = new Collection('premisesId', 'prm', [
    {
      premisesId: 'prm-9001',
      address: '4 Rowan Close, Brackenmere',
      postcode: 'BM1 3',
      occupied: true,
    },
  ])
  const statements = new Collection('statementId', 'stm', [
    { statementId: 'stm-77120', issuedOn: '2026-10-03', amountPence: 11_340, dueOn: '2026-10-24' },
  ])
  const kept = new Map<string, Record<string, unknown>>([
    ['preferences', { channel: 'email', paperless: true, largePrint: false }],
    ['care-register', { needs: ['bottled-water'], reviewedOn: '2026-05-14' }],
  ])
  const single = (name: string): Handlers => ({
    [`GET /accounts/{accountId}/${name}`]: () => reply(kept.get(name)),
    [`PUT /accounts/{accountId}/${name}`]: ({ body }) => {
      kept.set(name, body)
      return reply(body)
    },
  })
  return {
    ...crud('/accounts', 'accountId', accounts, () => ({
      state: 'open',
      openedOn: now().slice(0, 10),
      balancePence: 0,
    })),
    ...act('/accounts/{accountId}/close', 'accountId', accounts, () => ({ state: 'closing' })),
    ...crud('/accounts/{accountId}/contacts', 'contactId', contacts),
    ...crud('/accounts/{accountId}/premises', 'premisesId', premises),
    ...crud('/premises', 'premisesId', premises),
    ...crud('/accounts/{accountId}/statements', 'statementId', statements),
    ...crud('/statements', 'statementId', statements),
    ...single('preferences'),
    ...single('care-register'),
    'GET /accounts/{accountId}/timeline': () =>
      reply({
        items: [
          {
            at: '2026-11-03T10:20:00Z',
            kind: 'statement-issued',
            text: 'Statement of £113.40 issued',
          },
        ],
      }),
  }
}

/** Payments Desk: payments, refunds and arrangements. */
export function paymentsDesk(): Handlers {
  const payments = new Collection('paymentId', 'pay', [
    {
      paymentId: 'pay-66120',
      accountNumber: '4471 2098 13',
      amountPence: 11_340,
      method: 'card',
      deskId: 'desk-2',
      takenAt: '2026-11-19T14:03:00Z',
      state: 'taken',
    },
  ])
  const refunds = new Collection('refundId', 'ref', [])
  const arrangements = new Collection('arrangementId', 'arr', [
    {
      arrangementId: 'arr-801',
      accountNumber: '4471 2098 13',
      partPence: 1890,
      parts: 6,
      everyDays: 30,
      state: 'running',
    },
  ])
  const desks = new Collection('deskId', 'desk', [
    { deskId: 'desk-2', name: 'Brackenmere Market Square', open: true },
  ])
  const takings = {
    deskId: 'desk-2',
    day: '2026-11-19',
    cashPence: 48_210,
    cardPence: 210_455,
    differencePence: 0,
  }
  return {
    ...crud('/payments', 'paymentId', payments, () => ({ takenAt: now(), state: 'taken' })),
    'GET /payments/{paymentId}/refunds': ({ params, query }) =>
      refunds.page(query, (item) => item['paymentId'] === params['paymentId']),
    'POST /payments/{paymentId}/refunds': ({ params, body }) => {
      const payment = payments.get(params['paymentId']!)
      if (!payment) return missing('payment')
      if (Number(body['amountPence']) > Number(payment['amountPence']))
        return problem(409, 'Conflict', 'The refund is larger than the payment.')
      payment['state'] = 'part-refunded'
      return reply(refunds.add({ ...body, paymentId: params['paymentId'], refundedAt: now() }), 201)
    },
    'GET /payments/{paymentId}/receipt': ({ params }) => {
      const payment = payments.get(params['paymentId']!)
      if (!payment) return missing('payment')
      return reply({
        receiptNumber: `R-26-${params['paymentId']}`,
        paymentId: params['paymentId'],
        text: 'Brackenmere Water. Received with thanks.',
      })
    },
    ...crud('/arrangements', 'arrangementId', arrangements, () => ({ state: 'running' })),
    ...act('/arrangements/{arrangementId}/pause', 'arrangementId', arrangements, () => ({
      state: 'paused',
    })),
    ...crud('/desks', 'deskId', desks),
    'GET /desks/{deskId}/takings': ({ params }) => reply({ ...takings, deskId: params['deskId'] }),
    'POST /desks/{deskId}/close-day': ({ params, body }) =>
      reply({
        ...takings,
        deskId: params['deskId'],
        differencePence: Number(body['countedCashPence']) - takings.cashPence,
      }),
  }
}
