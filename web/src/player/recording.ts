/** A recording in pieces of a few seconds, at a pace, fetched ahead and kept. */
import { bytes } from '../folio/client'

export const PIECE_S = 4
const MOST_PIECES = 24

export class Recording {
  private pieces = new Map<string, Promise<AudioBuffer>>()

  constructor(
    private readonly context: BaseAudioContext,
    private readonly url: string,
  ) {}

  /** The piece that begins at `index * PIECE_S` of the recording. */
  piece(index: number, pace: number): Promise<AudioBuffer> {
    const key = `${index} ${pace}`
    let promise = this.pieces.get(key)
    if (!promise) {
      promise = this.fetchPiece(index * PIECE_S, (index + 1) * PIECE_S, pace)
      promise.catch(() => this.pieces.delete(key))
      this.pieces.set(key, promise)
      if (this.pieces.size > MOST_PIECES) this.pieces.delete(this.pieces.keys().next().value as string)
    }
    return promise
  }

  private async fetchPiece(from: number, to: number, pace: number): Promise<AudioBuffer> {
    // At the rate of the sound card: the browser itself goes from one rate to another by straight lines.
    const { sampleRate } = this.context
    const asked = `from_s=${from}&to_s=${to}&pace=${pace}&rate=${Math.round(sampleRate)}`
    const { data } = await bytes(`${this.url}?${asked}`)
    const both = new Float32Array(data)
    const frames = both.length / 2
    const buffer = this.context.createBuffer(2, Math.max(1, frames), sampleRate)
    buffer.copyToChannel(both.subarray(0, frames), 0)
    buffer.copyToChannel(both.subarray(frames), 1)
    return buffer
  }
}
