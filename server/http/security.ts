import { createHash } from 'node:crypto'

let address = process.env['ELM_PUBLIC_URL'] ?? ''

/** The address under which people reach the product; https makes cookies and transport strict. */
export const publicAddress = (): string => address

/** Takes the address of the settings over; one that the process was started with comes first. */
export function usePublicAddress(kept: string): void {
  address = process.env['ELM_PUBLIC_URL'] ?? kept
}

export const isSecure = (): boolean => publicAddress().startsWith('https://')

/**
 * What a page may load and do. Scripts come from this origin alone, none stands in the page or is made from text;
 * styles may be set by components while they run.
 */
const policy = [
  "default-src 'self'",
  "script-src 'self'",
  "style-src 'self' 'unsafe-inline'",
  "img-src 'self' data: blob:",
  "font-src 'self' data:",
  "connect-src 'self'",
  "worker-src 'self' blob:",
  "object-src 'none'",
  "base-uri 'none'",
  "form-action 'self'",
  "frame-ancestors 'none'",
].join('; ')

/** Headers of every response. */
export function securityHeaders(): Record<string, string> {
  return {
    'Content-Security-Policy': policy,
    'Permissions-Policy':
      'camera=(), microphone=(), geolocation=(), payment=(), usb=(), interest-cohort=()',
    'Cross-Origin-Opener-Policy': 'same-origin',
    'Cross-Origin-Resource-Policy': 'same-origin',
    'X-Content-Type-Options': 'nosniff',
    'X-Frame-Options': 'DENY',
    'Referrer-Policy': 'same-origin',
    ...(isSecure() && { 'Strict-Transport-Security': 'max-age=31536000' }),
  }
}

const scripts = new Map<string, string>()

/** A script of a page that was taken out of it, by its digest. */
export const bootScript = (digest: string): string | undefined => scripts.get(digest)

/** Takes the scripts that stand in a page out of it, so that the policy needs no exception for them. */
export function withoutInlineScripts(html: string): string {
  return html.replace(
    /<script(?![^>]*\bsrc=)(?![^>]*\btype="application\/json")([^>]*)>([\s\S]*?)<\/script>/g,
    (_, attributes: string, text: string) => {
      const digest = createHash('sha256').update(text).digest('hex').slice(0, 32)
      scripts.set(digest, text)
      return `<script${attributes} src="/boot/${digest}.js"></script>`
    },
  )
}
