import { answerWith } from '../../testServer'
import { createPinia, setActivePinia } from 'pinia'
import { expect, it, vi } from 'vitest'
import { nextTick } from 'vue'
import type { FolioState } from '../folio/client'
import { useFolio } from '../folio/folio'
import { useNotes } from '../folio/notes'
import { usePlayer } from './store'

const take = (duration_s: number) => ({ kind: 'audio', facts: { duration_s } })

it('neither stands nor loops beyond the end of another take', async () => {
  answerWith(() => Promise.resolve(new Response('[]', { headers: { 'content-type': 'application/json' } })))
  vi.stubGlobal('localStorage', { getItem: () => null, setItem: () => undefined })
  vi.stubGlobal('document', { documentElement: { dataset: {} } })
  vi.stubGlobal('window', globalThis)
  setActivePinia(createPinia())
  const folio = useFolio()
  const notes = useNotes()
  const player = usePlayer()
  const takes = { long: take(20), longer: take(30), short: take(2) }
  folio.state = { id: 'f', revision: 1, takes, parts: {}, settings: {} } as unknown as FolioState
  notes.takeId = 'long'
  await nextTick()
  player.position = 6
  player.loop = [4, 8]
  notes.takeId = 'longer'
  await nextTick()
  expect([player.position, player.loop]).toEqual([6, [4, 8]])
  notes.takeId = 'short'
  await nextTick()
  expect([player.position, player.loop]).toEqual([0, null])
})
