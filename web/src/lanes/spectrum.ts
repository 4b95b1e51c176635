/** The spectrogram of a recording in tiles, fetched as they come into view, drawn in graphite. */
import { bytes } from '../folio/client'
import type { PitchAxis, TimeAxis } from './geometry'

const COLUMNS = 256
const BANDS = 312
const BANDS_PER_SEMITONE = 3
const LOWEST_PITCH = 21
/** The finest column, and then each twice as long as the one before. */
const FINEST_S = 128 / 22050
const MOST_TILES = 80
/** Bytes are half decibels above this; so much under the loudest is paper. */
const LOWEST_DB = -110
const RANGE_DB = 62

interface Tile {
  image: OffscreenCanvas | null
  data: Uint8Array | null
  ink: string
}

export class Spectrum {
  private tiles = new Map<string, Tile>()

  constructor(
    private readonly url: string,
    private readonly duration: number,
    private readonly loudestDb: number,
    private readonly onLoaded: () => void,
  ) {}

  /** Length of the columns that are just finer than two pixels. */
  static columnFor(secondsPerPixel: number): number {
    return FINEST_S * 2 ** Math.max(0, Math.floor(Math.log2((2 * secondsPerPixel) / FINEST_S)))
  }

  draw(pen: CanvasRenderingContext2D, time: TimeAxis, pitch: PitchAxis, ink: string): void {
    const column = Spectrum.columnFor(time.perPixel)
    const length = column * COLUMNS
    const first = Math.max(0, Math.floor(time.from / length))
    const last = Math.min(Math.floor(time.to / length), Math.floor(this.duration / length))
    const top = LOWEST_PITCH + (BANDS - 0.5) / BANDS_PER_SEMITONE - 1 / BANDS_PER_SEMITONE
    const tall = (BANDS / BANDS_PER_SEMITONE) * pitch.semitone
    pen.imageSmoothingEnabled = true
    for (let i = first; i <= last; i++) {
      const tile = this.tile(column, i)
      if (!tile.data) continue
      if (!tile.image || tile.ink !== ink) paint(tile, ink, this.loudestDb)
      if (!tile.image) continue
      const x = time.x(i * length)
      pen.drawImage(tile.image, x, pitch.y(top), time.x((i + 1) * length) - x, tall)
    }
  }

  private tile(column: number, index: number): Tile {
    const key = `${column} ${index}`
    const known = this.tiles.get(key)
    if (known) return known
    const tile: Tile = { image: null, data: null, ink: '' }
    this.tiles.set(key, tile)
    if (this.tiles.size > MOST_TILES) this.tiles.delete(this.tiles.keys().next().value as string)
    bytes(`${this.url}?from_s=${index * column * COLUMNS}&column_s=${column}&columns=${COLUMNS}`)
      .then(({ data }) => {
        tile.data = new Uint8Array(data)
        this.onLoaded()
      })
      .catch(() => this.tiles.delete(key))
    return tile
  }
}

/** Levels as the opacity of one colour; the highest band is the first row. */
function paint(tile: Tile, ink: string, loudestDb: number): void {
  const data = tile.data as Uint8Array
  const canvas = new OffscreenCanvas(COLUMNS, BANDS)
  const pen = canvas.getContext('2d') as OffscreenCanvasRenderingContext2D
  const image = new ImageData(COLUMNS, BANDS)
  const pixels = new Uint32Array(image.data.buffer)
  const [r, g, b] = [1, 3, 5].map((k) => parseInt(ink.slice(k, k + 2), 16))
  const colour = (b << 16) | (g << 8) | r
  const opacity = new Uint32Array(256)
  const floor = loudestDb - RANGE_DB
  for (let level = 0; level < 256; level++) {
    const share = Math.max(0, Math.min(1, (LOWEST_DB + level / 2 - floor) / RANGE_DB))
    opacity[level] = ((Math.round(215 * share ** 2) << 24) | colour) >>> 0
  }
  for (let column = 0; column < COLUMNS; column++)
    for (let band = 0; band < BANDS; band++)
      pixels[(BANDS - 1 - band) * COLUMNS + column] = opacity[data[column * BANDS + band]]
  pen.putImageData(image, 0, 0)
  Object.assign(tile, { image: canvas, ink })
}
