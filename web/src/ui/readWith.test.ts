import { describe, expect, it } from 'vitest'
import { readWith } from './readWith'

const listen = { channels: 'sum' as const, low_cut_hz: 0, high_cut_hz: 0, from_s: 0, to_s: 0 }
const names = (id: string) => (id === 'p' ? 'Hummed' : undefined)

describe('how a reading was asked for', () => {
  it('is nothing where all is as a matter of course', () => {
    expect(readWith({}, names)).toEqual([])
    expect(readWith({ voices: 'many', follow: 'all', lowest: 21, highest: 108, listen }, names)).toEqual([])
  })

  it('tells each thing that is not', () => {
    const heard = { ...listen, channels: 'left' as const, from_s: 4, to_s: 12.5, low_cut_hz: 80 }
    const asked = { follow: 'lowest' as const, without_drums: true, lowest: 28, highest: 60, listen: heard }
    expect(readWith(asked, names)).toEqual([
      'the lowest line', 'without drums’ strokes', 'the left channel', '0:04.0 to 0:12.5', 'E1 to C4', 'over 80 Hz',
    ]) // prettier-ignore
  })

  it('names the line to be near, also one that is gone, and a tuning of nothing', () => {
    expect(readWith({ follow: 'line', follow_part: 'p', tuning_cents: 0 }, names)).toEqual([
      'the line of Hummed',
      'tuning given, 0 ct',
    ])
    expect(readWith({ follow: 'line', follow_part: 'q' }, names)).toEqual(['the line of a part that is gone'])
  })
})
