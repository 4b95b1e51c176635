import { answerWith } from '../../testServer'
import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { Problem } from './client'
import { useFolio } from './folio'
import { useNotices } from './notices'

/** A server of one folio: its revision, what was asked, and what its news say. */
class Server {
  revision = 3
  asked: string[] = []
  jobs: object[] = []
  say: (news: object) => void = () => undefined
  connect: () => void = () => undefined

  answer = (request: Request): Promise<Response> => {
    const path = new URL(request.url).pathname
    this.asked.push(`${request.method} ${path}`)
    const lists: Record<string, object[]> = { readings: [], jobs: this.jobs }
    const body = lists[path.split('/').at(-1) ?? ''] ?? this.state()
    return Promise.resolve(
      new Response(JSON.stringify(body), { headers: { 'content-type': 'application/json' } }),
    )
  }
  state() {
    return {
      id: 'f',
      revision: this.revision,
      changed_at: this.revision,
      takes: {},
      parts: {},
      settings: {},
      note_doubts: { sure: 0.8, worth_walking: 0.12 },
    }
  }
}

let server: Server
beforeEach(() => {
  server = new Server()
  answerWith((asked) => server.answer(asked as Request))
  vi.stubGlobal('EventSource', class {
    set onmessage(hear: (message: { data: string }) => void) {
      server.say = (news) => hear({ data: JSON.stringify(news) })
    }
    set onopen(connected: () => void) {
      server.connect = connected
    }
    close() { return undefined }
  }) // prettier-ignore
  vi.stubGlobal('window', { setTimeout, clearTimeout, dispatchEvent: () => true })
  setActivePinia(createPinia())
})
afterEach(() => vi.unstubAllGlobals())

const later = () => new Promise((done) => setTimeout(done, 5))

describe('the open folio', () => {
  it('makes changes one after the other, each on the revision of the one before', async () => {
    const folio = useFolio()
    await folio.open('f')
    const bases: (number | null)[] = []
    const edit = async () => {
      bases.push(folio.base)
      await later()
      server.revision++
      return true
    }
    await Promise.all([folio.change(edit), folio.change(edit), folio.change(edit)])
    expect(bases).toEqual([3, 4, 5])
    expect(folio.state?.revision).toBe(6)
  })
  it('catches up on what changed while its news were not connected', async () => {
    const folio = useFolio()
    server.jobs = [{ id: 'j', state: 'running', title: 'Reading', result: {} }]
    await folio.open('f')
    server.revision = 8
    server.jobs = [{ id: 'j', state: 'done', title: 'Reading', result: { notice: 'It is read.' } }]
    server.connect()
    await later()
    await later()
    expect(folio.state?.revision).toBe(8)
    expect(folio.running).toEqual([])
    expect(useNotices().list.map((notice) => notice.title)).toContain('It is read.')
  })
  it('shows the newer state and says why when another window was first', async () => {
    const folio = useFolio()
    await folio.open('f')
    server.revision = 9
    const answer = await folio.change(() =>
      Promise.reject(new Problem('Another window was first.', 'Look again.', 'conflict', 409)),
    )
    expect(answer).toBeNull()
    expect(folio.base).toBe(9)
    expect(useNotices().list[0].title).toBe('Another window was first.')
  })
  it('goes on after a change that failed', async () => {
    const folio = useFolio()
    await folio.open('f')
    await folio.change(() => Promise.reject(new Error('gone')))
    expect(await folio.change(() => Promise.resolve('made'))).toBe('made')
  })
  it('takes up what another window did, but never steps back to an older state', async () => {
    const folio = useFolio()
    await folio.open('f')
    server.revision = 5
    server.say({ type: 'folio', revision: 5 })
    await vi.waitFor(() => expect(folio.base).toBe(5))
    server.revision = 4
    await folio.refresh()
    expect(folio.base).toBe(5)
  })
  it('takes nothing of a folio that was left while it was asked for', async () => {
    const folio = useFolio()
    await folio.open('f')
    const late = folio.refresh()
    folio.close()
    await late
    expect([folio.state, folio.id]).toEqual([null, ''])
  })
  it('waits for a job to end, also for one that ended before it was asked for', async () => {
    const folio = useFolio()
    await folio.open('f')
    const job = (id: string, state: string) => ({ type: 'job', job: { id, state, title: id, result: {} } })
    server.say(job('slow', 'running'))
    server.say(job('quick', 'done'))
    const slow = folio.ended('slow')
    expect((await folio.ended('quick')).state).toBe('done')
    server.say(job('slow', 'stopped'))
    expect((await slow).state).toBe('stopped')
  })
  it('keeps running work in the order in which it was asked for, however it gets on, and stops all of it', async () => {
    const folio = useFolio()
    await folio.open('f')
    const job = (id: string, state: string, progress = 0) =>
      server.say({ type: 'job', job: { id, state, progress, title: id, result: {} } })
    for (const id of ['first', 'second', 'third']) job(id, 'queued')
    job('second', 'running', 0.2)
    job('first', 'running', 0.9)
    expect(folio.running.map((j) => [j.id, j.progress])).toEqual([
      ['first', 0.9],
      ['second', 0.2],
      ['third', 0],
    ])
    job('first', 'done', 1)
    server.asked = []
    await folio.stopAll()
    expect(server.asked).toEqual(['second', 'third'].map((id) => `DELETE /api/folios/f/jobs/${id}`))
  })
  it('tells once that a job failed, and why', async () => {
    const folio = useFolio()
    await folio.open('f')
    const job = {
      id: 'j',
      title: 'Reading “line”',
      state: 'failed',
      result: { title: 'The worker died.', detail: '' },
    }
    server.say({ type: 'job', job: { ...job, state: 'running', result: {} } })
    server.say({ type: 'job', job })
    server.say({ type: 'job', job })
    await later()
    expect(useNotices().list.filter((n) => n.title.includes('The worker died.'))).toHaveLength(1)
    expect(folio.running).toHaveLength(0)
  })
})
