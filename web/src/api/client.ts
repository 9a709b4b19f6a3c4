// Talking to the server: one typed client, and errors as the server says them.
import createClient from 'openapi-fetch'

import type { paths } from './schema'

export const client = createClient<paths>({ baseUrl: '/' })

/** What Django wants to see of a page that writes. */
export const csrfToken = () => /(?:^|; )ektopos_csrf=([^;]*)/.exec(document.cookie)?.[1] ?? ''

client.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrfToken())
    return request
  },
})

/** What went wrong, in the server's words. */
export class Said extends Error {
  constructor(
    readonly status: number,
    readonly said: string,
    readonly subject = '',
    readonly hint = '',
  ) {
    super([subject && `${subject}:`, said, hint].filter(Boolean).join(' '))
  }
}

export function toSaid(status: number, body: unknown): Said {
  const found = (body ?? {}) as {
    message?: string
    subject?: string
    hint?: string
    detail?: unknown
  }
  if (found.message) return new Said(status, found.message, found.subject, found.hint)
  if (Array.isArray(found.detail)) {
    const first = found.detail[0] as { msg?: string; loc?: unknown[] } | undefined
    return new Said(status, `${first?.loc?.at(-1) ?? 'it'}: ${first?.msg ?? 'not understood'}.`)
  }
  return new Said(
    status,
    status === 0 ? 'The server does not answer.' : `The server answered ${status}.`,
    '',
    'Is it running?',
  )
}

/** The data of a call, or its error thrown. `T` is one of `api/types`: the client's own inference loses tuples. */
export async function got<T>(
  call: Promise<{ data?: unknown; error?: unknown; response: Response }>,
): Promise<T> {
  let answer
  try {
    answer = await call
  } catch {
    throw toSaid(0, null)
  }
  if (answer.error !== undefined || !answer.response.ok)
    throw toSaid(answer.response.status, answer.error)
  return answer.data as T
}
