/** How a reading was asked for, in words: whatever is not as a matter of course. */
import type { Schemas } from '../folio/client'
import { clock, pitchName, signed } from './format'
import { CHARACTERS } from './kinds'

type Asked = Partial<Schemas['EngineSettings']>

const LINES: Record<string, string> = { highest: 'the highest line', lowest: 'the lowest line' }
const CHANNELS: Record<string, string> = {
  left: 'the left channel',
  right: 'the right channel',
  difference: 'the channels’ difference',
}
const LOWEST = 21
const HIGHEST = 108

/** Each of them by itself; parts are named by their ids, as a line to be near is one of them. */
export function readWith(asked: Asked, nameOfPart: (id: string) => string | undefined): string[] {
  const listen = asked.listen
  const lowest = asked.lowest ?? LOWEST
  const highest = asked.highest ?? HIGHEST
  const near = `the line of ${nameOfPart(asked.follow_part ?? '') ?? 'a part that is gone'}`
  return [
    asked.follow === 'line' ? near : (LINES[asked.follow ?? ''] ?? ''),
    asked.without_drums ? 'without drums’ strokes' : '',
    asked.pedal ? 'pedal as pedal' : '',
    asked.character ? `as ${CHARACTERS[asked.character]}` : '',
    CHANNELS[listen?.channels ?? ''] ?? '',
    listen?.to_s ? `${clock(listen.from_s ?? 0, 1)} to ${clock(listen.to_s, 1)}` : '',
    lowest !== LOWEST || highest !== HIGHEST ? `${pitchName(lowest)} to ${pitchName(highest)}` : '',
    asked.tuning_cents != null ? `tuning given, ${signed(asked.tuning_cents)} ct` : '',
    listen?.low_cut_hz ? `over ${listen.low_cut_hz} Hz` : '',
    listen?.high_cut_hz ? `under ${listen.high_cut_hz} Hz` : '',
  ].filter(Boolean)
}
