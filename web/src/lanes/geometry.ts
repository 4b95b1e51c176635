/** Where moments and pitches lie on a lane: pure, apart from drawing. */

export class TimeAxis {
  constructor(
    readonly from: number,
    readonly to: number,
    readonly width: number,
  ) {}
  get perPixel(): number {
    return (this.to - this.from) / this.width
  }
  x(time: number): number {
    return ((time - this.from) / (this.to - this.from)) * this.width
  }
  time(x: number): number {
    return this.from + (x / this.width) * (this.to - this.from)
  }
}

export class PitchAxis {
  constructor(
    readonly low: number,
    readonly high: number,
    readonly height: number,
  ) {}
  get semitone(): number {
    return this.height / (this.high - this.low)
  }
  y(pitch: number): number {
    return this.height - (pitch - this.low) * this.semitone
  }
  pitch(y: number): number {
    return this.low + (this.height - y) / this.semitone
  }
}

/** Lowest and highest pitch to show, with room around them and at least an octave and a half. */
export function pitchRange(pitches: Float32Array): [number, number] {
  let low = 127
  let high = 0
  for (const pitch of pitches) {
    if (pitch < low) low = pitch
    if (pitch > high) high = pitch
  }
  if (low > high) [low, high] = [52, 76]
  const middle = (low + high) / 2
  const half = Math.max((high - low) / 2 + 2.5, 9)
  return [Math.round(middle - half), Math.round(middle + half)]
}

const STEPS_S = [
  0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800,
]

/** Seconds between labels so that they stay at least `apart` pixels from each other. */
export function labelStep(perPixel: number, apart: number): number {
  return STEPS_S.find((step) => step / perPixel >= apart) ?? 3600
}

/** Every how many bars a line is drawn so that they stay `apart` pixels from each other. */
export function barStep(pixelsPerBar: number, apart: number): number {
  let step = 1
  while (pixelsPerBar * step < apart && step < 4096) step *= 2
  return step
}

export const TREBLE = [64, 67, 71, 74, 77]
export const BASS = [43, 47, 50, 53, 57]
export const MIDDLE_C = 60

export interface Hit {
  index: number
  part: 'start' | 'body' | 'end'
}
