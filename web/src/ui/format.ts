/** Numbers as they are shown. */

const NAMES = ['C', 'C♯', 'D', 'E♭', 'E', 'F', 'F♯', 'G', 'A♭', 'A', 'B♭', 'B']

/** Name of a MIDI pitch; the server names the twelve pitches, C first, where a key is known. */
export function pitchName(pitch: number, names: string[] = NAMES): string {
  return `${names[((pitch % 12) + 12) % 12]}${Math.floor(pitch / 12) - 1}`
}

/** Minutes and seconds with as many decimals as asked for: `1:02.450`. */
export function clock(seconds: number, decimals = 3): string {
  const sign = seconds < 0 ? '−' : ''
  const grain = 10 ** decimals
  const whole = Math.round(Math.abs(seconds) * grain)
  const minutes = Math.floor(whole / (60 * grain))
  const rest = (whole - minutes * 60 * grain) / grain
  return `${sign}${minutes}:${rest.toFixed(decimals).padStart(decimals ? decimals + 3 : 2, '0')}`
}

export function signed(value: number, decimals = 0): string {
  const text = Math.abs(value).toFixed(decimals)
  if (Number(text) === 0) return text
  return (value < 0 ? '−' : '+') + text
}

export function decibels(level: number): string {
  return `${level < 0 ? '−' : ''}${Math.abs(level).toFixed(1)} dB`
}

/** Whether a share is more than the nothing that two decimals would show. */
export function isShown(share: number): boolean {
  return share >= 0.005
}

export function plural(count: number, one: string, many = `${one}s`): string {
  return `${count} ${count === 1 ? one : many}`
}

/** Whether a text has every one of the wanted words, or beginnings of words, in it. */
export function hasWords(text: string, wanted: string): boolean {
  const words = wanted.toLocaleLowerCase().split(/\s+/).filter(Boolean)
  return words.every((word) => text.toLocaleLowerCase().includes(word))
}
