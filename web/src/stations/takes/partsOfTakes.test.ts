import { expect, it } from 'vitest'
import type { Part } from '../../folio/client'
import { partsOfTakes } from './partsOfTakes'

const part = (take: string) => ({ take }) as Part

it('adds up the notes and doubts of the parts of each take, counted or not yet', () => {
  const parts = { a: part('hymn'), b: part('hymn'), c: part('bells'), d: part('late') }
  const doubts = { a: { notes: 10, wrong: 0.7 }, b: { notes: 5, wrong: 0.6 }, c: { notes: 8, wrong: 3 } }
  expect(partsOfTakes(parts, doubts)).toEqual({
    hymn: { parts: 2, notes: 15, wrong: 1.2999999999999998 },
    bells: { parts: 1, notes: 8, wrong: 3 },
    late: { parts: 1, notes: null, wrong: 0 },
  })
})
