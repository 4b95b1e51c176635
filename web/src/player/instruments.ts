/** The built-in instruments as the server makes them: the very samples that the renderer uses. */
import { bytes, client, told, type Schemas } from '../folio/client'

export interface Sample {
  buffer: AudioBuffer
  rootHz: number
  loopStart: number
  loopEnd: number
}
export interface Instrument {
  attack: number
  release: number
  /** As loud at any velocity. */
  flat: boolean
  samples: Sample[]
}

/** A release this long lets a sound ring to its own end. */
const RINGS_S = 10
const SHORTEST_RAMP_S = 0.0005

const waiting = new Map<string, Promise<Instrument>>()

/**
 * The instrument of an id, fetched once. A kit is told by its address instead, beginning with a slash;
 * what follows `#` says which state of the kit it is.
 */
export function loadInstrument(context: BaseAudioContext, id: string): Promise<Instrument> {
  let promise = waiting.get(id)
  if (!promise) {
    promise = id.startsWith('/') ? fetchKit(context, id.split('#')[0]) : fetchInstrument(context, id)
    promise.catch(() => waiting.delete(id))
    waiting.set(id, promise)
  }
  return promise
}

async function fetchInstrument(context: BaseAudioContext, id: string): Promise<Instrument> {
  const [info, block] = await Promise.all([
    told(client.GET('/api/instruments/{instrument_id}', { params: { path: { instrument_id: id } } })),
    bytes(`/api/instruments/${id}/samples`),
  ])
  return instrumentOf(context, info, new Float32Array(block.data))
}

async function fetchKit(context: BaseAudioContext, address: string): Promise<Instrument> {
  const [path, query] = address.split('?')
  const asked = `?${query ? `${query}&` : ''}rate=${Math.round(context.sampleRate)}`
  const [info, block] = await Promise.all([bytes(path + asked), bytes(`${path}/samples${asked}`)])
  const told = JSON.parse(new TextDecoder().decode(info.data)) as Schemas['InstrumentInfo']
  return instrumentOf(context, told, new Float32Array(block.data))
}

function instrumentOf(
  context: BaseAudioContext,
  info: Schemas['InstrumentInfo'],
  all: Float32Array<ArrayBuffer>,
): Instrument {
  const channels = info.channels ?? 1
  const samples = info.samples.map((s: Schemas['SampleInfo']) => {
    const buffer = context.createBuffer(channels, Math.max(s.frames, 1), info.rate)
    for (let k = 0; k < channels; k++) {
      const first = channels * s.first + k * s.frames
      buffer.copyToChannel(all.subarray(first, first + s.frames), k)
    }
    return { buffer, rootHz: s.root_hz, loopStart: s.loop_start / info.rate, loopEnd: s.loop_end / info.rate }
  })
  return { attack: info.attack_s, release: info.release_s, flat: info.flat ?? false, samples }
}

export function hzOf(pitch: number): number {
  return 440 * 2 ** ((pitch - 69) / 12)
}

export interface Sounding {
  onset_s: number
  offset_s: number
  pitch: number
  velocity: number
  bends: [number, number][]
}

/**
 * Starts one note as the renderer does: nearest sample, bends in steps, straight ramps.
 * `at` is the context's time of its onset; `skip` seconds of it are already over.
 */
export function startNote(
  context: BaseAudioContext,
  out: AudioNode,
  instrument: Instrument,
  note: Sounding,
  at: number,
  pace = 1,
): AudioScheduledSourceNode {
  const wanted = Math.log2(hzOf(note.pitch))
  let nearest = instrument.samples[0]
  for (const sample of instrument.samples) {
    if (Math.abs(Math.log2(sample.rootHz) - wanted) < Math.abs(Math.log2(nearest.rootHz) - wanted))
      nearest = sample
  }
  const source = context.createBufferSource()
  source.buffer = nearest.buffer
  source.playbackRate.value = hzOf(note.pitch) / nearest.rootHz
  if (nearest.loopEnd > 0) {
    source.loop = true
    source.loopStart = nearest.loopStart
    source.loopEnd = nearest.loopEnd
  }
  for (const [moment, cents] of note.bends) {
    source.detune.setValueAtTime(cents, at + (moment - note.onset_s) / pace)
  }
  const gain = context.createGain()
  const loud = instrument.flat ? 1 : (note.velocity / 127) ** 2
  const held = (note.offset_s - note.onset_s) / pace
  if (instrument.flat) return startFlat(context, out, instrument, source, at, held)
  const rise = Math.min(instrument.attack, held)
  const reached = loud * Math.min(1, held / instrument.attack)
  gain.gain.setValueAtTime(0, at)
  gain.gain.linearRampToValueAtTime(reached, at + rise)
  gain.gain.setValueAtTime(reached, at + held)
  gain.gain.linearRampToValueAtTime(0, at + held + instrument.release)
  source.connect(gain).connect(out)
  source.start(at)
  source.stop(at + held + instrument.release)
  return source
}

/** A slice of a kit: from its first sample on as loud as it is, let go at the note's end or left to ring. */
function startFlat(
  context: BaseAudioContext,
  out: AudioNode,
  instrument: Instrument,
  source: AudioBufferSourceNode,
  at: number,
  held: number,
): AudioScheduledSourceNode {
  const gain = context.createGain()
  source.connect(gain).connect(out)
  source.start(at)
  if (instrument.release >= RINGS_S) return source
  const release = Math.max(instrument.release, SHORTEST_RAMP_S)
  gain.gain.setValueAtTime(1, at)
  gain.gain.setValueAtTime(1, at + held)
  gain.gain.linearRampToValueAtTime(0, at + held + release)
  source.stop(at + held + release)
  return source
}

/** The curve that keeps everything under full scale and leaves what is under 0.8 alone. */
export function softLimit(context: BaseAudioContext): WaveShaperNode {
  const shaper = context.createWaveShaper()
  const points = 8193
  const reach = 4
  const curve = new Float32Array(points)
  for (let i = 0; i < points; i++) {
    const x = ((2 * i) / (points - 1) - 1) * reach
    const over = Math.abs(x) - 0.8
    curve[i] = over > 0 ? Math.sign(x) * (0.8 + 0.2 * Math.tanh(over / 0.2)) : x
  }
  shaper.curve = curve
  return shaper
}

/** The shaper reads from -1 to 1; what goes in is divided by this. */
export const LIMIT_REACH = 4
