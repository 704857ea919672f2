import createClient, { type Middleware } from 'openapi-fetch'
import type { components, paths } from './schema'

export type Schemas = components['schemas']

/** What the server says when something is wrong (RFC 9457). */
export interface Problem {
  title: string
  status: number
  detail: string
  errors?: { pointer: string; detail: string; column?: number; nearest?: string | null }[]
}

export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail || problem.title)
  }
}

function cookie(name: string): string {
  const found = document.cookie.split('; ').find((one) => one.startsWith(`${name}=`))
  return found ? decodeURIComponent(found.slice(name.length + 1)) : ''
}

const withCsrfToken: Middleware = {
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', cookie('paddock_csrf'))
    return request
  },
}

export const api = createClient<paths>({ baseUrl: window.location.origin })
api.use(withCsrfToken)

/** The data of an answer; throws a ProblemError with the detail of the server. */
export async function answered<T>(asked: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer
  try {
    answer = await asked
  } catch {
    throw new ProblemError({
      title: 'No answer from the server',
      status: 0,
      detail: 'The server does not answer. Check that it is running and that this machine can reach it.',
    })
  }
  if (answer.response.ok) return answer.data as T
  const problem = answer.error as Partial<Problem> | undefined
  throw new ProblemError({
    title: problem?.title ?? answer.response.statusText,
    status: answer.response.status,
    detail: problem?.detail ?? `The server answered ${answer.response.status} ${answer.response.statusText}.`,
    errors: problem?.errors,
  })
}
