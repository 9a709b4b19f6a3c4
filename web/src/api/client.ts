// Talking to the server: one typed client, and errors as the server says them.
import createClient from 'openapi-fetch'
import type { MaybeOptionalInit } from 'openapi-fetch'
import type { PathsWithMethod } from 'openapi-typescript-helpers'

import { useNotices } from './notices'
import type { paths } from './schema'
import { labels } from '../words/components'

const TRIES = 15
/** What the server calls what it waits for, when something else keeps it. */
const DATABASE = 'the database'
const BUSY = labels.theDatabaseIsBusyThis

/** Asks again for as long as the database is held, and says so meanwhile: nothing of the call was done. */
export async function patient(request: Request): Promise<Response> {
  for (let tries = 1; ; tries += 1) {
    const answer = await fetch(request.clone())
    const wait = Number(answer.headers.get('Retry-After'))
    if (answer.status !== 503 || !wait || tries === TRIES || !(await isHeld(answer.clone()))) {
      if (useNotices.getState().current === BUSY) useNotices.getState().clear()
      return answer
    }
    useNotices.getState().say(BUSY)
    await new Promise((done) => setTimeout(done, 1000 * wait))
  }
}

const isHeld = async (answer: Response) =>
  ((await answer.json().catch(() => ({}))) as { subject?: string }).subject === DATABASE

const client = createClient<paths>({ baseUrl: '/', fetch: patient })

/** What Django wants to see of a page that writes. */
export const csrfToken = () => /(?:^|; )ektopos_csrf=([^;]*)/.exec(document.cookie)?.[1] ?? ''

client.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrfToken())
    return request
  },
})

/** What went wrong, in the server's words. */
export class ApiError extends Error {
  constructor(
    readonly status: number,
    readonly said: string,
    readonly subject = '',
    readonly hint = '',
  ) {
    super([subject && `${subject}:`, said, hint].filter(Boolean).join(' '))
  }
}

export function toApiError(status: number, body: unknown): ApiError {
  const problem = (body ?? {}) as {
    message?: string
    subject?: string
    hint?: string
    detail?: unknown
  }
  if (problem.message) return new ApiError(status, problem.message, problem.subject, problem.hint)
  if (Array.isArray(problem.detail)) {
    const first = problem.detail[0] as { msg?: string; loc?: unknown[] } | undefined
    return new ApiError(status, `${first?.loc?.at(-1) ?? 'it'}: ${first?.msg ?? 'not understood'}.`)
  }
  return new ApiError(
    status,
    status === 0 ? labels.theServerDoesNotAnswer : labels.theServerAnswered(status),
    '',
    labels.isItRunning,
  )
}

type Method = 'get' | 'post' | 'delete'

/** What a call answers when it is done, as the schema says: the client's own inference turns tuples into arrays. */
type Answer<Path extends keyof paths, M extends Method> = paths[Path] extends {
  [key in M]: { responses: { 200: { content: { 'application/json': infer Body } } } }
}
  ? Body
  : undefined

type Init<Path extends keyof paths, M extends Method> = MaybeOptionalInit<paths[Path], M>
type Rest<Path extends keyof paths, M extends Method> =
  undefined extends Init<Path, M> ? [Init<Path, M>?] : [Init<Path, M>]

/** Ask for something. The type of the answer follows from the address; errors are thrown. */
export const get = <Path extends PathsWithMethod<paths, 'get'>>(
  path: Path,
  ...init: Rest<Path, 'get'>
): Promise<Answer<Path, 'get'>> => answered(client.GET(path, ...(init as never)))

/** Have something done. The type of the answer follows from the address; errors are thrown. */
export const post = <Path extends PathsWithMethod<paths, 'post'>>(
  path: Path,
  ...init: Rest<Path, 'post'>
): Promise<Answer<Path, 'post'>> => answered(client.POST(path, ...(init as never)))

/** Have something deleted. */
export const erase = <Path extends PathsWithMethod<paths, 'delete'>>(
  path: Path,
  ...init: Rest<Path, 'delete'>
): Promise<Answer<Path, 'delete'>> => answered(client.DELETE(path, ...(init as never)))

async function answered<Data>(
  call: Promise<{ data?: unknown; error?: unknown; response: Response }>,
): Promise<Data> {
  let answer
  try {
    answer = await call
  } catch {
    throw toApiError(0, null)
  }
  // Whoever is not logged in any more does so, and comes back.
  if (
    answer.response.status === 401 &&
    answer.response.headers.get('WWW-Authenticate') === 'Bearer'
  )
    location.assign(`/in?next=${encodeURIComponent(location.pathname + location.search)}`)
  if (answer.error !== undefined || !answer.response.ok)
    throw toApiError(answer.response.status, answer.error)
  return answer.data as Data
}
