/** The pitch that was measured along a reading. */
import { bytes } from './client'

export interface MeasuredLine {
  pitch: Float32Array
  strength: Float32Array
  starts: number
  step: number
}

export async function measuredLine(folio: string, reading: string): Promise<MeasuredLine> {
  const { data, headers } = await bytes(`/api/folios/${folio}/readings/${reading}/line`)
  const pairs = new Float32Array(data)
  const pitch = new Float32Array(pairs.length / 2)
  const strength = new Float32Array(pairs.length / 2)
  for (let i = 0; i < pitch.length; i++) {
    pitch[i] = pairs[2 * i]
    strength[i] = pairs[2 * i + 1]
  }
  return { pitch, strength, starts: Number(headers.get('x-starts')), step: Number(headers.get('x-step')) }
}
