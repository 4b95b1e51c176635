/** A part's notes as an edit will leave them, before and after the server has answered. */
import type { NoteBody, Schemas } from './client'

export type Action = Schemas['Edit']['action']
export type Values = NonNullable<Schemas['Edit']['values']>

/** The notes after a change, those that stay in their places. */
export function withChange(notes: NoteBody[], put: NoteBody[], removed: string[]): NoteBody[] {
  const fresh = new Map(put.map((n) => [n.id, n]))
  const gone = new Set(removed)
  const kept = removed.length ? notes.filter((n) => !gone.has(n.id)) : notes
  const changed = kept.map((n) => {
    const now = fresh.get(n.id)
    fresh.delete(n.id)
    return now ?? n
  })
  return [...changed, ...fresh.values()]
}

/** The notes as an edit that takes effect at once will leave them; unchanged for any other. */
export function echoed(
  notes: NoteBody[],
  action: Action,
  ids: Set<string>,
  values: Partial<Values>,
): NoteBody[] {
  if (action === 'delete') return notes.filter((n) => !ids.has(n.id))
  if (action !== 'move' && action !== 'ends') return notes
  return notes.map((n) =>
    ids.has(n.id)
      ? {
          ...n,
          onset_s: n.onset_s + (values.by_s ?? 0) + (values.start_by_s ?? 0),
          offset_s: n.offset_s + (values.by_s ?? 0) + (values.end_by_s ?? 0),
          pitch: n.pitch + (values.semitones ?? 0),
        }
      : n,
  )
}
