import { createHmac } from 'node:crypto'

/**
 * The secret of one gateway at one address, made of the installation's own: what is sent to an address is of no use at any
 * other, so that nobody learns the secret of a gateway by having another address called.
 */
export const secretOf = (
  installation: string,
  { name, adminUrl }: { name: string; adminUrl: string },
): string => createHmac('sha256', installation).update(`${name}\n${adminUrl}`).digest('base64url')
