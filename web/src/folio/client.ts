/** The typed client of the API, and the errors it can give. */
import createClient from 'openapi-fetch'
import type { components, paths } from '../../generated/schema'

export type Schemas = components['schemas']
export type FolioState = Schemas['FolioState']
export type Take = Schemas['Take']
export type Part = Schemas['Part']
export type NoteBody = Schemas['Note']
export type Job = Schemas['Job']
export type Reading = Schemas['Reading']
export type Tempo = Schemas['Tempo']
export type HandOn = Schemas['HandOn']

export const client = createClient<paths>({ baseUrl: '/' })

/** A problem the server told, in words for the user. */
export class Problem extends Error {
  constructor(
    readonly title: string,
    readonly detail: string,
    readonly code: string,
    readonly status: number,
  ) {
    super(`${title} ${detail}`)
  }
}

interface Answer<T> {
  data?: T
  error?: unknown
  response: Response
}

/** The data of an answer, or a Problem. */
export async function told<T>(asked: Promise<Answer<T>>): Promise<T> {
  let answer: Answer<T>
  try {
    answer = await asked
  } catch {
    throw new Problem(
      'The program does not answer.',
      'Start it again; nothing that was saved is lost.',
      'silent',
      0,
    )
  }
  if (answer.data !== undefined && answer.response.ok) return answer.data
  const body = (answer.error ?? {}) as { title?: string; detail?: string; code?: string }
  throw new Problem(
    body.title ?? 'The program answered with an error.',
    body.detail ?? '',
    body.code ?? 'error',
    answer.response.status,
  )
}

/** Bytes of a binary resource. */
export async function bytes(
  path: string,
  signal?: AbortSignal,
): Promise<{ data: ArrayBuffer; headers: Headers }> {
  const response = await fetch(path, { signal })
  if (!response.ok) throw new Problem('This could not be fetched.', path, 'fetch', response.status)
  return { data: await response.arrayBuffer(), headers: response.headers }
}
