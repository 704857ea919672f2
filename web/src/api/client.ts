import createClient, { type Middleware } from 'openapi-fetch'

import { serverAddress } from './address'
import { ref } from 'vue'
import type { components, paths } from './schema'

export type Schemas = components['schemas']

/** What the server says when something is wrong (RFC 9457). */
export interface Problem {
  title: string
  status: number
  detail: string
  /** The role that would have been enough, and where; without a paddock, for everything. */
  needs?: { role: string; paddock: string | null }
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

/** What the last refused request would have needed: who meets a refusal can ask for the role. */
export const refusal = ref<{ detail: string; role: 'operator' | 'administrator'; paddock: string } | null>(null)

const UNATTENDED_AFTER = 10 * 60_000
let lastInput = Date.now()
for (const kind of ['pointerdown', 'pointermove', 'keydown', 'wheel']) window.addEventListener(kind, () => (lastInput = Date.now()), { passive: true })

/** A page that reloads by itself while nobody uses it does not keep the session alive. */
const withAttendance: Middleware = {
  onRequest({ request }) {
    if (Date.now() - lastInput > UNATTENDED_AFTER) request.headers.set('Paddock-Unattended', '1')
    return request
  },
}

const withCsrfToken: Middleware = {
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', cookie('paddock_csrf'))
    return request
  },
}

export const api = createClient<paths>({ baseUrl: serverAddress })
api.use(withCsrfToken, withAttendance)

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
  const needs = problem?.needs
  if (needs?.paddock && (needs.role === 'operator' || needs.role === 'administrator')) refusal.value = { detail: problem?.detail ?? '', role: needs.role, paddock: needs.paddock }
  throw new ProblemError({
    title: problem?.title ?? answer.response.statusText,
    status: answer.response.status,
    detail: problem?.detail ?? `The server answered ${answer.response.status} ${answer.response.statusText}.`,
    errors: problem?.errors,
  })
}

const PAGE_SIZE = 1000

/** All rows of a list that comes in pages: `allRows((query) => api.GET('/api/v1/kits/', { params: { query } }))`. */
export async function allRows<T>(ask: (query: { page: number; page_size: number }) => Promise<{ data?: { results: T[]; next: string | null }; error?: unknown; response: Response }>): Promise<T[]> {
  const rows: T[] = []
  for (let page = 1; ; page++) {
    const { results, next } = await answered(ask({ page, page_size: PAGE_SIZE }))
    rows.push(...results)
    if (!next) return rows
  }
}
