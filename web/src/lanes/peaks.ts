/** Peaks of a recording, fetched in tiles as they come into view and kept. */
import { bytes } from '../folio/client'

/** Samples a peak covers at each level, as the server makes them. */
const LEVELS = [64, 512, 4096, 32768]
const TILE = 8192
const MOST_TILES = 160
/** The loudest of a take fills so much of its lane; next to silence is not drawn as sound. Peaks end at full scale. */
const FILLED = 0.92
const MOST_GAIN = 100

interface Tile {
  data: Int16Array | Float32Array | null
}

export interface Extremes {
  low: Float32Array
  high: Float32Array
}

export class Peaks {
  /** How many times taller than full scale the recording is drawn. */
  readonly gain: number
  private tiles = new Map<string, Tile>()

  constructor(
    private readonly url: string,
    readonly rate: number,
    readonly frames: number,
    loudestDb: number,
    private readonly onLoaded: () => void,
  ) {
    this.gain = Math.min(MOST_GAIN, FILLED * 10 ** (-Math.min(0, loudestDb) / 20))
  }

  /** Level whose buckets are just finer than a pixel, -1 for the samples themselves. */
  static levelFor(samplesPerPixel: number): number {
    if (samplesPerPixel < LEVELS[0]) return -1
    let level = 0
    while (level + 1 < LEVELS.length && LEVELS[level + 1] <= samplesPerPixel) level++
    return level
  }

  /** Lowest and highest value in each of `width` pixels between two moments; NaN where not loaded yet. */
  extremes(from: number, to: number, width: number): Extremes {
    const perPixel = ((to - from) * this.rate) / width
    const level = Peaks.levelFor(perPixel)
    const bucket = level < 0 ? 1 : LEVELS[level]
    const low = new Float32Array(width).fill(NaN)
    const high = new Float32Array(width).fill(NaN)
    const total = Math.ceil(this.frames / bucket)
    for (let x = 0; x < width; x++) {
      const first = Math.floor((from * this.rate + x * perPixel) / bucket)
      const last = Math.max(first + 1, Math.floor((from * this.rate + (x + 1) * perPixel) / bucket))
      if (last <= 0 || first >= total) continue
      let least = Infinity
      let most = -Infinity
      for (let i = Math.max(first, 0); i < Math.min(last, total); i++) {
        const tile = this.tile(level, Math.floor(i / TILE))
        if (!tile.data) continue
        const at = i % TILE
        const a = level < 0 ? tile.data[at] : tile.data[2 * at] / 32767
        const b = level < 0 ? a : tile.data[2 * at + 1] / 32767
        if (a < least) least = a
        if (b > most) most = b
      }
      if (most >= least) {
        low[x] = least
        high[x] = most
      }
    }
    return { low, high }
  }

  /** The samples between two moments where they are loaded: moment of the first, and values. */
  samples(from: number, to: number): { first: number; values: number[] } {
    const first = Math.max(0, Math.floor(from * this.rate))
    const last = Math.min(this.frames, Math.ceil(to * this.rate) + 1)
    const values: number[] = []
    for (let i = first; i < last; i++) {
      const tile = this.tile(-1, Math.floor(i / TILE))
      values.push(tile.data ? tile.data[i % TILE] : NaN)
    }
    return { first: first / this.rate, values }
  }

  private tile(level: number, index: number): Tile {
    const key = `${level} ${index}`
    const known = this.tiles.get(key)
    if (known) return known
    const tile: Tile = { data: null }
    this.tiles.set(key, tile)
    if (this.tiles.size > MOST_TILES) this.tiles.delete(this.tiles.keys().next().value as string)
    bytes(`${this.url}?level=${level}&first=${index * TILE}&count=${TILE}`)
      .then(({ data }) => {
        tile.data = level < 0 ? new Float32Array(data) : new Int16Array(data)
        this.onLoaded()
      })
      .catch(() => this.tiles.delete(key))
    return tile
  }
}
