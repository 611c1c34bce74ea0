import { getSession, updateSession, clearSession, type H3Event, type SessionConfig } from 'h3'

interface Sealed {
  session?: string
}

/** A sealed cookie that carries nothing but the session's identifier. `secret` has at least 32 characters. */
const configuration = (secret: string): SessionConfig => ({
  password: secret,
  name: 'elm_session',
  maxAge: 14 * 86_400,
  cookie: {
    httpOnly: true,
    sameSite: 'lax',
    path: '/',
    secure: process.env['ELM_SECURE_COOKIES'] === 'true',
  },
})

export const sessionOf = async (event: H3Event, secret: string): Promise<string | undefined> =>
  (await getSession<Sealed>(event, configuration(secret))).data.session

export const keepSession = (event: H3Event, secret: string, session: string) =>
  updateSession<Sealed>(event, configuration(secret), { session })

export const forgetSession = (event: H3Event, secret: string) =>
  clearSession(event, configuration(secret))
