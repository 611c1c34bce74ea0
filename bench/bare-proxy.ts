import http from 'node:http'

/** The least a reverse proxy in Node can be: what the gateway is measured against. */
const agent = new http.Agent({ keepAlive: true, maxSockets: 256 })
const backend = Number(process.env['BACKEND'])

http
  .createServer((request, response) => {
    const options = {
      host: '127.0.0.1',
      port: backend,
      path: request.url,
      method: request.method,
      headers: request.headers,
      agent,
    }
    const upstream = http.request(options, (answer) => {
      response.writeHead(answer.statusCode ?? 502, answer.headers)
      answer.pipe(response)
    })
    upstream.on('error', () => response.destroy())
    request.pipe(upstream)
  })
  .listen(Number(process.env['PORT']), '127.0.0.1', () => process.send?.('ready'))
