/** The open folio: its state, its changes, undo, and what other windows do to it. */
import { defineStore } from 'pinia'
import { computed, ref, shallowRef, watch } from 'vue'
import { client, told, Problem, type FolioState, type Job, type Reading, type Schemas } from './client'
import { useNotices } from './notices'

interface News {
  type: 'folio' | 'job' | 'reading'
  revision?: number
  job?: Job
  take?: string
  reading?: string
}

export const useFolio = defineStore('folio', () => {
  const notices = useNotices()
  const state = shallowRef<FolioState | null>(null)
  const readings = shallowRef<Reading[]>([])
  const jobs = shallowRef<Job[]>([])
  const savedAt = ref(0)
  /** The folio that is to be open: what comes late of another is not taken. */
  let wanted = ''
  const failed = ref('')
  const freshReading = ref<{ take: string; reading: string } | null>(null)
  let news: EventSource | null = null
  let ownChanges = 0
  let queue: Promise<unknown> = Promise.resolve()

  const id = computed(() => state.value?.id ?? '')
  const path = computed(() => ({ folio_id: id.value }))
  const base = computed(() => state.value?.revision ?? null)
  /** In the order in which it was asked for. */
  const running = computed(() =>
    jobs.value.filter((j) => j.state === 'queued' || j.state === 'running').reverse(),
  )

  async function refresh(folioId = id.value) {
    const params = { path: { folio_id: folioId } }
    const [fresh, read] = await Promise.all([
      told(client.GET('/api/folios/{folio_id}', { params })),
      told(client.GET('/api/folios/{folio_id}/readings', { params })),
    ])
    if (fresh.id !== wanted || (state.value && state.value.revision > fresh.revision)) return
    state.value = fresh as unknown as FolioState
    readings.value = read
    savedAt.value = fresh.changed_at
  }

  async function open(folioId: string) {
    close()
    wanted = folioId
    failed.value = ''
    try {
      await refresh(folioId)
      jobs.value = await jobsOf(folioId)
    } catch (error) {
      failed.value = String((error as Error).message)
      return
    }
    if (wanted !== folioId) return
    news = new EventSource(`/api/folios/${folioId}/news`)
    news.onopen = () => void catchUp(folioId).catch(notices.tellProblem)
    news.onmessage = (message) => void hear(JSON.parse(message.data) as News)
  }

  const jobsOf = (folioId: string) =>
    told(client.GET('/api/folios/{folio_id}/jobs', { params: { path: { folio_id: folioId } } }))

  /** What changed before the news were connected, or while they were not, is not told again. */
  async function catchUp(folioId: string) {
    await refresh(folioId)
    const fresh = await jobsOf(folioId)
    if (wanted === folioId) for (const job of fresh.reverse()) await hear({ type: 'job', job })
  }

  function close() {
    news?.close()
    wanted = ''
    state.value = null
    jobs.value = []
  }

  /** Makes a folio; answers its id. */
  async function make(title: string): Promise<string> {
    return (await told(client.POST('/api/folios', { body: { title: title || 'Untitled piece' } }))).id
  }

  async function hear(item: News) {
    if (item.type === 'job' && item.job) {
      const job = item.job
      const before = jobs.value.find((j) => j.id === job.id)
      jobs.value = before ? jobs.value.map((j) => (j === before ? job : j)) : [job, ...jobs.value]
      if (before?.state !== job.state) tellOfJob(job)
    } else if (item.type === 'reading') {
      await refresh()
      // Hits that were read make a kit; only notes are shown as a reading.
      if (readings.value.some((r) => r.id === item.reading))
        freshReading.value = { take: item.take ?? '', reading: item.reading ?? '' }
    } else if (item.type === 'folio' && (item.revision ?? 0) > (state.value?.revision ?? 0)) {
      if (ownChanges === 0) await refresh()
    }
  }

  function tellOfJob(job: Job) {
    const result = job.result as { title?: string; detail?: string; notice?: string }
    if (job.state === 'failed') notices.tell(`${job.title}: ${result.title}`, result.detail, 'problem')
    if (job.state === 'done' && result.notice) notices.tell(result.notice)
  }

  /**
   * Makes a change; on a conflict shows the newer state and says so. Answers null if it failed.
   * Changes of this window wait for each other, so that each is based on the one before.
   */
  function change<T>(asked: () => Promise<T>): Promise<T | null> {
    const made = queue.then(() => changeNow(asked))
    queue = made
    return made
  }

  async function changeNow<T>(asked: () => Promise<T>): Promise<T | null> {
    ownChanges++
    try {
      const answer = await asked()
      await refresh()
      return answer
    } catch (error) {
      notices.tellProblem(error)
      if (error instanceof Problem && (error.status === 409 || error.status === 404)) await refresh()
      return null
    } finally {
      ownChanges--
    }
  }

  async function step(back: boolean) {
    const params = { path: path.value }
    const answer = await change(() =>
      told(
        back
          ? client.POST('/api/folios/{folio_id}/undo', { params })
          : client.POST('/api/folios/{folio_id}/redo', { params }),
      ),
    )
    if (answer?.label) notices.tell(back ? `Undone: ${answer.label}` : `Redone: ${answer.label}`)
    else if (answer) notices.tell(back ? 'There is nothing to undo.' : 'There is nothing to redo.')
  }

  async function bringIn(files: File[]) {
    if (!files.length) return
    const form = new FormData()
    for (const file of files) form.append('files', file, file.name)
    await change(() =>
      told(
        client.POST('/api/folios/{folio_id}/takes', {
          params: { path: path.value },
          body: form as never,
          bodySerializer: (body: unknown) => body as FormData,
        }),
      ),
    )
  }

  const recordings = computed(() =>
    Object.entries(state.value?.takes ?? {}).flatMap(([id, take]) => (take.kind === 'audio' ? [id] : [])),
  )

  /** Takes that are there and have a map, or a kit. */
  function takesWith(what: 'beat_maps' | 'kits'): string[] {
    const owners = new Set(Object.values(state.value?.[what] ?? {}).map((each) => each.take))
    return Object.keys(state.value?.takes ?? {}).filter((id) => owners.has(id))
  }

  /** Where a take begins in the folio's time (s). */
  const placeOf = (takeId: string) => state.value?.settings.places?.[takeId] ?? 0

  async function putTake(takeId: string, values: Partial<Schemas['Place']>) {
    const params = { path: { ...path.value, take_id: takeId } }
    await change(() =>
      told(
        client.PUT('/api/folios/{folio_id}/takes/{take_id}/place', {
          params,
          body: { ...values, base_revision: base.value } as Schemas['Place'],
        }),
      ),
    )
  }

  /** The job as it ended: done, failed, stopped. */
  function ended(jobId: string): Promise<Job> {
    const over = () => jobs.value.find((j) => j.id === jobId && !running.value.includes(j))
    const already = over()
    if (already) return Promise.resolve(already)
    return new Promise((resolve) => {
      const stop = watch(over, (job) => {
        if (!job) return
        stop()
        resolve(job)
      })
    })
  }

  async function stopJob(jobId: string) {
    await client.DELETE('/api/folios/{folio_id}/jobs/{job_id}', {
      params: { path: { ...path.value, job_id: jobId } },
    })
  }

  async function stopAll() {
    await Promise.all(running.value.map((job) => stopJob(job.id)))
  }

  async function dismissJobs() {
    await client.DELETE('/api/folios/{folio_id}/jobs', { params: { path: path.value } })
    jobs.value = running.value
  }

  return {
    ended, state, readings, jobs, running, savedAt, failed, freshReading, id, path, base,
    open, close, make, refresh, change, step, bringIn, recordings, placeOf, takesWith, putTake, stopJob, stopAll, dismissJobs,
  } // prettier-ignore
})
