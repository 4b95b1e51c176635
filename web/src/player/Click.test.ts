import { answerWith } from '../../testServer'
import { beforeEach, describe, expect, it } from 'vitest'
import { Click, type Ticks } from './Click'

const context = {
  createBuffer: () => ({ copyToChannel: () => undefined }),
} as unknown as BaseAudioContext
const info = { rate: 44100, attack_s: 0.01, release_s: 0.1, samples: [{ first: 0, frames: 4, root_hz: 440, loop_start: 0, loop_end: 0 }] } // prettier-ignore
const grid = { time_s: [0, 0.5, 1, 1.5], bar: [1, 1, 2, 2], beat: [1, 2, 1, 2] }
// A passage in wood, then one that rings with a click between its beats.
const ticks: Ticks = {
  time_s: [0, 0.5, 1, 1.25, 1.5], instrument: ['click', 'click', 'bell', 'bell', 'bell'],
  pitch: [93, 86, 88, 77, 81], velocity: [120, 92, 120, 60, 92],
} // prettier-ignore
beforeEach(() => {
  answerWith((request) => {
    const url = typeof request === 'string' ? request : request.url
    const body = url.includes('samples') ? new Float32Array(4).buffer : JSON.stringify(info)
    return Promise.resolve(new Response(body, { headers: { 'content-type': 'application/json' } }))
  })
})

describe('the click', () => {
  it('has the sound, the pitch and the level that each passage of a map asks for', async () => {
    const click = new Click(context)
    await click.load(ticks)
    const heard = [...click.strokes(0.4, 1.4, grid, ticks)]
    expect(heard.map((s) => [s.name, s.note.onset_s, s.note.pitch, s.note.velocity])).toEqual([
      ['click', 0.5, 86, 92],
      ['bell', 1, 88, 120],
      ['bell', 1.25, 77, 60],
    ])
    expect(heard[0].instrument).not.toBe(heard[1].instrument)
  })
  it('accents downbeats of the grid and divides its beats, each stroke in one stretch only', async () => {
    const click = new Click(context)
    click.subdivide = 2
    await click.load()
    const stretches = [[0, 0.6], [0.6, 1.1], [1.1, 1.6]] // prettier-ignore
    const heard = stretches.flatMap(([from, to]) => [...click.strokes(from, to, grid)])
    expect(heard.map((s) => s.note.onset_s)).toEqual([0, 0.25, 0.5, 0.75, 1, 1.25, 1.5])
    const loud = heard.map((s) => s.note.velocity)
    expect(loud[0]).toBeGreaterThan(loud[2])
    expect(loud[2]).toBeGreaterThan(loud[1])
    expect(loud[4]).toBe(loud[0])
  })
  it('is silent until its instruments are there', () => {
    expect([...new Click(context).strokes(0, 2, grid)]).toEqual([])
  })
})
