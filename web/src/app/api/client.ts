import createClient from 'openapi-fetch'

import type { components, paths } from './schema'

export type Schema = components['schemas']

/** What the server refused, or that it could not be reached (status 0): a sentence, a code, messages by field. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly code: string,
    detail: string,
    readonly fields: Record<string, string> = {},
  ) {
    super(detail)
  }
}

const UNREACHABLE = 'No connection to the server.'

function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? ''
}

async function reach(request: Request): Promise<Response> {
  try {
    return await fetch(request)
  } catch {
    throw new Problem(0, 'unreachable', UNREACHABLE)
  }
}

export const api = createClient<paths>({ baseUrl: window.location.origin, fetch: reach })
api.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrfToken())
    return request
  },
})

interface Outcome<T> {
  data?: T
  error?: unknown
  response: Response
}

/** The one shape of every error (server: config/api.py). */
interface ProblemBody {
  code: string
  detail: string
  fields: Record<string, string>
}

function isProblem(body: unknown): body is ProblemBody {
  return typeof body === 'object' && body !== null && 'code' in body && 'detail' in body
}

/** The data of an answer, or a Problem thrown. */
export function answer<T>(outcome: Outcome<T>): T {
  if (outcome.response.ok) return outcome.data as T
  const { error, response } = outcome
  if (isProblem(error)) throw new Problem(response.status, error.code, error.detail, error.fields)
  throw new Problem(response.status, 'server', `The server failed (${response.status}). Try again.`)
}

/** Send one file with the words that go with it. The generated client knows JSON only. */
export async function upload<T>(address: string, file: File, words: Record<string, string> = {}): Promise<T> {
  const body = new FormData()
  body.append('file', file)
  Object.entries(words).forEach(([name, text]) => body.append(name, text))
  const response = await reach(
    new Request(new URL(address, window.location.origin), {
      method: 'POST',
      body,
      headers: { 'X-CSRFToken': csrfToken() },
    }),
  )
  const answered: unknown = await response.json().catch(() => undefined)
  return answer({ response, data: answered as T, error: answered })
}
