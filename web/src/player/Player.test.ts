import { answerWith } from '../../testServer'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { Player, type Program } from './Player'
import { softLimit } from './instruments'

/** What an audio context needs to be for scheduling: a clock set by hand and nodes that record their times. */
class Value {
  value = 1
  set: [number, number][] = []
  setValueAtTime(value: number, at: number) {
    this.set.push([value, at])
  }
  linearRampToValueAtTime(value: number, at: number) {
    this.set.push([value, at])
  }
  setTargetAtTime(value: number) {
    this.value = value
  }
}
class Node {
  gain = new Value()
  pan = new Value()
  detune = new Value()
  playbackRate = new Value()
  curve: Float32Array | null = null
  buffer: unknown = null
  started: number[] = []
  stopped: number[] = []
  connect(to: unknown) {
    return to
  }
  disconnect() {
    return undefined
  }
  start(...at: number[]) {
    this.started = at
  }
  stop(at = -1) {
    this.stopped.push(at)
  }
}
class Context {
  currentTime = 0
  outputLatency = 0
  sampleRate = 48000
  destination = new Node()
  sources: Node[] = []
  gains: Node[] = []
  resume() {
    return Promise.resolve()
  }
  createGain() {
    const gain = new Node()
    this.gains.push(gain)
    return gain
  }
  createStereoPanner = () => new Node()
  createWaveShaper = () => new Node()
  createBuffer = (channels: number, length: number, rate: number) => ({
    channels, length, rate, copyToChannel: () => undefined,
  }) // prettier-ignore
  createBufferSource() {
    const source = new Node()
    this.sources.push(source)
    return source
  }
}

let context: Context
let heard: { onset_s: number; at: number; part: string }[]
beforeEach(() => {
  vi.useFakeTimers()
  context = new Context()
  heard = []
  vi.stubGlobal('AudioContext', function () { return context }) // prettier-ignore
  vi.stubGlobal('CustomEvent', class { constructor(readonly type: string, readonly init: object) {} }) // prettier-ignore
  vi.stubGlobal('window', {
    setInterval, clearInterval, setTimeout, clearTimeout,
    dispatchEvent: (event: { type: string; init: { detail: (typeof heard)[0] } }) => {
      if (event.type === 'stave:scheduled') heard.push(event.init.detail)
    },
  }) // prettier-ignore
  const info = { rate: 44100, attack_s: 0.01, release_s: 0.1, samples: [{ first: 0, frames: 4, root_hz: 440, loop_start: 0, loop_end: 0 }] } // prettier-ignore
  answerWith((asked) => {
    const url = typeof asked === 'string' ? asked : asked.url
    const body = /samples|sound/.test(url) ? new Float32Array(4).buffer : JSON.stringify(info)
    return Promise.resolve(new Response(body, { headers: { 'content-type': 'application/json' } }))
  })
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

const note = (onset_s: number, offset_s = onset_s + 0.1, pitch = 69) => ({
  onset_s, offset_s, pitch, velocity: 100, bends: [] as [number, number][],
}) // prettier-ignore
const program = (notes: ReturnType<typeof note>[]): Program => ({
  recordingUrl: null,
  duration: 10,
  lines: [{ id: 'part', instrument: 'reed', levelDb: 0, pan: 0, notes }],
  grid: { time_s: [0, 0.5, 1, 1.5, 2], bar: [1, 1, 1, 1, 2], beat: [1, 2, 3, 4, 1] },
})
async function run(seconds: number) {
  for (let t = 0; t < seconds; t += 0.05) {
    context.currentTime += 0.05
    await vi.advanceTimersByTimeAsync(60)
  }
}

describe('the player', () => {
  it('schedules every note once, at its moment, before it is due', async () => {
    const player = new Player()
    await player.setProgram(program([note(0.1), note(0.25), note(0.5), note(1.9)]))
    await player.play(0, 2, false)
    await run(2.2)
    expect(heard.map((n) => n.onset_s)).toEqual([0.1, 0.25, 0.5, 1.9])
    for (const n of heard) expect(n.at - n.onset_s).toBeCloseTo(0.03)
    expect(player.playing).toBe(false)
  })
  it('plays the newest program from the first note on, also when it overtakes an older one', async () => {
    const player = new Player()
    const overtaken = player.setProgram(program([note(0.3)]))
    void player.setProgram(program([note(0.1), note(0.4)]))
    await overtaken
    await player.play(0, 1, false)
    await run(1.1)
    expect(heard.map((n) => n.onset_s)).toEqual([0.1, 0.4])
  })
  it('stretches time at half the pace and tells the position in the recording', async () => {
    const player = new Player()
    player.pace = 0.5
    await player.setProgram(program([note(1)]))
    await player.play(0.5, 2, false)
    await run(1.03)
    expect(heard[0].at).toBeCloseTo(0.03 + 1)
    expect(player.position()).toBeCloseTo(1, 1)
  })
  it('sounds a note that is held where playing begins, bent as it is by then', async () => {
    const player = new Player()
    const held = { ...note(0, 3), bends: [[0, 0], [0.5, 40], [1.5, -20]] as [number, number][] } // prettier-ignore
    await player.setProgram(program([held]))
    await player.play(1, 2, false)
    expect(heard[0]).toMatchObject({ onset_s: 1, bends: [[1, 40], [1.5, -20]] }) // prettier-ignore
  })
  it('goes round a loop without a gap or a note twice', async () => {
    const player = new Player()
    await player.setProgram(program([note(1.0), note(1.4)]))
    await player.play(1, 1.5, true)
    await run(1.4)
    const times = heard.map((n) => n.at - 0.03)
    expect(times.length).toBeGreaterThanOrEqual(6)
    times.forEach((at, i) => expect(at).toBeCloseTo(Math.floor(i / 2) * 0.5 + (i % 2) * 0.4))
  })
  it('stops what sounds and what is still to come', async () => {
    const player = new Player()
    await player.setProgram(program([note(0), note(0.3)]))
    await player.play(0, 2, false)
    player.stop()
    // Let go within milliseconds, faded out by then.
    expect(context.sources.every((s) => s.stopped.at(-1) === 0.008)).toBe(true)
    const faded = context.gains.filter((g) => g.gain.set.some(([value, at]) => value === 0 && at === 0.008))
    expect(faded).toHaveLength(1)
    await run(1)
    expect(heard).toHaveLength(2)
  })
  it('plays a recording to the frame, rises before it begins and crosses where it goes round', async () => {
    const player = new Player()
    await player.setProgram({ ...program([]), recordingUrl: '/sound' })
    await player.play(1.1, 1.4, true)
    await run(0.5)
    const played = context.sources.map((s) => s.started)
    const began = 0.03
    const rises = 192 / 48000
    const wanted = [
      [began - rises, 1.1 - rises, rises], [began, 1.1, 0.25], [began + 0.25, 1.35, 0.05],
      [began + 0.3 - rises, 1.1 - rises, rises], [began + 0.3, 1.1, 0.25],
    ] // prettier-ignore
    wanted.forEach((times, i) => times.forEach((time, k) => expect(played[i][k]).toBeCloseTo(time, 4)))
    const edges = context.gains
      .map((g) => g.gain.set.map(([value]) => value))
      .filter((set) => set.length === 4)
    expect(edges.slice(0, 3)).toEqual([[0, 1, 1, 1], [1, 1, 1, 0], [0, 1, 1, 1]]) // prettier-ignore
  })
  it('clicks on beats and between them only when it can be heard', async () => {
    const player = new Player()
    await player.setProgram(program([]))
    await player.play(0, 1, false)
    expect(context.sources).toHaveLength(0)
    player.stop()
    player.setClick(0.5)
    player.click.subdivide = 2
    await player.play(0, 1, false)
    await run(1.1)
    const starts = context.sources.map((s) => s.started[0])
    const began = starts[0]
    expect(starts.map((s) => Math.round((s - began) * 1000))).toEqual([0, 250, 500, 750])
  })
})

describe('the limiter', () => {
  it('leaves soft sounds alone, rises always and never passes full scale', () => {
    const curve = softLimit(context as unknown as BaseAudioContext).curve as Float32Array
    const at = (x: number) => curve[Math.round(((x / 4 + 1) / 2) * (curve.length - 1))]
    expect(at(0.5)).toBeCloseTo(0.5, 3)
    expect(Math.max(...curve)).toBeLessThanOrEqual(1)
    for (let i = 1; i < curve.length; i++) expect(curve[i]).toBeGreaterThanOrEqual(curve[i - 1])
  })
})
