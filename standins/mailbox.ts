import http from 'node:http'
import { simpleParser } from 'mailparser'
import { SMTPServer } from 'smtp-server'

export interface Letter {
  at: string
  from: string
  to: string
  subject: string
  text: string
}

const mostLetters = 200
const mostBytes = 1024 * 1024

const escaped = (text: string) => text.replace(/[&<>"']/g, (sign) => `&#${sign.charCodeAt(0)};`)

/** A mail server that takes everything and sends nothing on, with a page to read what came. */
export class Mailbox {
  readonly letters: Letter[] = []
  private readonly server: SMTPServer

  constructor() {
    this.server = new SMTPServer({
      disabledCommands: ['STARTTLS', 'AUTH'],
      size: mostBytes,
      onData: (stream, { envelope }, done) => {
        simpleParser(stream).then(
          (mail) => {
            this.letters.unshift({
              at: new Date().toISOString(),
              from: mail.from?.text ?? '',
              to: envelope.rcptTo.map(({ address }) => address).join(', '),
              subject: mail.subject ?? '',
              text: mail.text ?? '',
            })
            this.letters.splice(mostLetters)
            done()
          },
          (error: Error) => done(error),
        )
      },
    })
    this.server.on('error', (error) => console.error('mailbox:', error.message))
  }

  listen(port: number): Promise<number> {
    return new Promise((resolve) => {
      this.server.listen(port, '127.0.0.1', () => {
        const address = this.server.server.address()
        resolve(typeof address === 'object' && address ? address.port : port)
      })
    })
  }

  close(): Promise<void> {
    return new Promise((resolve) => this.server.close(() => resolve()))
  }

  /** `/mailbox/` is a page, `/mailbox/letters` the same as JSON. */
  readonly page: http.RequestListener = (request, response) => {
    if (request.url?.endsWith('/letters')) {
      response.writeHead(200, { 'Content-Type': 'application/json' })
      return void response.end(JSON.stringify(this.letters))
    }
    const rows = this.letters.map(
      ({ at, from, to, subject, text }) =>
        `<article><h2>${escaped(subject)}</h2><p>${escaped(at)}, ${escaped(from)} to ${escaped(to)}</p><pre>${escaped(text)}</pre></article>`,
    )
    response.writeHead(200, {
      'Content-Type': 'text/html; charset=utf-8',
      'Content-Security-Policy': "default-src 'none'; style-src 'unsafe-inline'",
    })
    response.end(
      `<!doctype html><html lang="en"><title>Mailbox</title><style>body{font:15px/1.5 sans-serif;max-width:720px;margin:40px auto;padding:0 16px}h2{font-size:17px;margin:0}article{border-top:1px solid #ccc;padding:12px 0}p{color:#555;margin:2px 0}pre{white-space:pre-wrap;font:inherit}</style><h1>Mailbox</h1><p>Everything that the demo has sent by mail; nothing of it left this machine.</p>${rows.join('') || '<p>No mail has come yet.</p>'}</html>`,
    )
  }
}
