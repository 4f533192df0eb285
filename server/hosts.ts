import type { Request } from 'express'

const loopbackNames = ['localhost', '127.0.0.1', '[::1]']

/** The name in a Host header, without its port, in lower case. */
const nameIn = (host: string): string => host.toLowerCase().replace(/:\d+$/, '')

/**
 * Is a request for a name that this server goes by? A page of elsewhere can make a browser ask us under its own name
 * (by a name server that says it lies here); that name is never ours.
 */
export function isOurHost(host: string | undefined, hosts: readonly string[]): boolean {
  if (host === undefined) return false
  const name = nameIn(host)
  return loopbackNames.includes(name) || hosts.some((one) => one.toLowerCase() === name)
}

/** Does a request come from this machine, and by nobody between? */
export function isLocal({ socket, headers }: Pick<Request, 'socket' | 'headers'>): boolean {
  const from = socket.remoteAddress ?? ''
  const direct = headers['x-forwarded-for'] === undefined && headers.forwarded === undefined
  return direct && /^(::1|(::ffff:)?127\.)/.test(from) && loopbackNames.includes(nameIn(headers.host ?? ''))
}
