import { expect, test } from '@playwright/test'
import { expectAccessible, issue, margin, send, signIn } from './support'

test('gateways stand by group, with certificates that end, what each can enforce, and how it is now', async ({
  page,
}) => {
  await signIn(page, 'oskar', '/gateways')
  await page.getByRole('button', { name: /A certificate of south-edge ends in/ }).click()
  await expect(page).toHaveURL(/gateway=south-edge/)
  await expect(margin(page)).toContainText('by Brackenmere Works, for')
  await expect(margin(page)).toContainText('api.brackenmere.example')
  await page.getByRole('tab', { name: 'Health' }).click()
  await expect(page.getByText(/answers in \d+ ms/)).toBeVisible()
  await page.getByRole('tab', { name: /Routes/ }).click()
  await page.getByLabel('Filter routes').fill('areas')
  await expect(page.getByRole('row', { name: /supply\/v2\/areas/ }).first()).toBeVisible()
  await expect(page.getByRole('row', { name: /permits/ })).toHaveCount(0)
  await page.getByLabel('Filter routes').fill('zyzzyva')
  await expect(page.getByText('No route says that.')).toBeVisible()
  await page.goto('/gateways?gateway=treatment-works&view=abilities')
  await expect(page.getByRole('row', { name: /^Limit/ })).toContainText('Rate limit')
  await expectAccessible(page)
})

test('what a cluster runs is uploaded, refused where it is none, and read at once', async ({
  page,
}) => {
  await signIn(page, 'wren', '/gateways?gateway=outfall&view=upload')
  await expect(page.getByText('takes the role governance or operator')).toBeVisible()
  await signIn(page, 'oskar', '/gateways?gateway=outfall&view=upload')
  const files = page.locator('input[type=file]').first()
  await files.setInputFiles({
    name: 'words.yaml',
    mimeType: 'text/yaml',
    buffer: Buffer.from('only words'),
  })
  await expect(page.getByText(/is no resource of a cluster/)).toBeVisible()
  const route = (name: string) => ({
    apiVersion: 'gateway.networking.k8s.io/v1',
    kind: 'HTTPRoute',
    metadata: { name, namespace: 'outfall' },
    spec: {
      hostnames: ['outfall.brackenmere.example'],
      rules: [
        {
          matches: [{ path: { type: 'Exact', value: `/${name}` } }],
          backendRefs: [{ name, port: 80 }],
        },
      ],
    },
  })
  await files.setInputFiles({
    name: 'routes.json',
    mimeType: 'application/json',
    buffer: Buffer.from(JSON.stringify({ kind: 'List', items: [route('tides'), route('storms')] })),
  })
  await expect(margin(page)).toContainText('outfall.brackenmere.example/storms')
  await expect(page.getByRole('row', { name: /^outfall/ })).toContainText('2')
  await expect(margin(page)).not.toContainText('Not understood')
})

test('HTTPS is asked from the desk, and plain HTTP is sent there', async ({ page }) => {
  await signIn(page, 'oskar', '/desk?placement=payments-desk-trial-1')
  await expect(page.getByLabel('Path and query')).toHaveValue(/^\//)
  await send(page)
  await expect(page.locator('.status')).toHaveText('401')
  await expect(margin(page)).toContainText('no key in the header X-Api-Key')
  await page.getByLabel('Scheme').selectOption('http')
  await send(page)
  await expect(page.locator('.status')).toHaveText('301')
  await expect(margin(page)).toContainText('Sent to https://trial.inner.brackenmere.example')
})

test('a REST face takes JSON from its schema, refuses what does not fit, and answers JSON', async ({
  page,
}) => {
  await signIn(page, 'lena', '/placements/lab-sampling-trial-2')
  await expect(page.getByText('JSON becomes a message of SOAP')).toBeVisible()
  await page.goto('/placements/lab-sampling-trial-2?view=routes')
  await expect(page.getByLabel('Served as')).toHaveValue('rest')
  await expect(page.getByText('/lab/v1/openapi.json')).toBeVisible()
  await expectAccessible(page)
  await signIn(page, 'oskar', '/desk?placement=lab-sampling-trial-2')
  await expect(page.getByLabel('Path and query')).toHaveValue('/lab/v1/registerSample')
  const body = page.getByLabel('Body', { exact: true })
  await expect(body).toHaveValue(/"sample": \{/)
  const secret = await issue(page, 'lab-sampling-trial-2', 'Fernhill Plumbing')
  await page.getByLabel('Credential').fill(secret)
  await send(page)
  await expect(page.locator('.status')).toHaveText('200')
  await expect(page.locator('.answer pre')).toContainText('"id": "S-')
  await expect(margin(page)).toContainText('JSON becomes a message of SOAP')
  await body.fill('{ "sample": 7 }')
  await send(page)
  await expect(page.locator('.status')).toHaveText('400')
  await expect(page.locator('.verdict')).toContainText('sample')
})
