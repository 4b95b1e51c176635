/** Addresses without a host are this one, and whoever answers is set by each test. */
const Original = globalThis.Request
class Here extends Original {
  constructor(input: RequestInfo | URL, init?: RequestInit) {
    super(typeof input === 'string' ? new URL(input, 'http://here/') : input, init)
  }
}
globalThis.Request = Here

type Answer = (asked: Request | string) => Promise<Response>
let answer: Answer = () => Promise.reject(new Error('nobody answers'))
globalThis.fetch = ((asked: Request | string) => answer(asked)) as typeof fetch

export function answerWith(given: Answer): void {
  answer = given
}
