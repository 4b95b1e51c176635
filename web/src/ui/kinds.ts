/** Words for what a take seems to hold, and what a reading of notes will be bad at then. */
import type { Schemas } from '../folio/client'

type Kind = Schemas['Seems']['name']

export const HOLDS: Record<Kind, string> = {
  one: 'one voice',
  many: 'many voices',
  drums: 'drums',
  mix: 'a mix of drums and notes',
}
/** The same where there is little room. */
export const HOLDS_SHORT: Record<Kind, string> = { ...HOLDS, mix: 'a mix' }

const ORDER: Kind[] = ['one', 'many', 'drums', 'mix']
/** Shares under this are not told. */
const LEAST_SHARE = 0.1

/** What else a take could hold, with its share; none where that is hardly likely. */
export function couldHold(seems: Schemas['Seems']): { name: Kind; share: number } | null {
  const others = ORDER.map((kind, i) => ({ kind, share: seems.shares[i] ?? 0 }))
  const next = others.filter((o) => o.kind !== seems.name).sort((a, b) => b.share - a.share)[0]
  return next && next.share >= LEAST_SHARE ? { name: next.kind, share: next.share } : null
}

/** Whether overtones sound over its pitches for long enough to be told. */
export function hasStops(seems: Schemas['Seems']): boolean {
  return seems.overtones >= LEAST_SHARE
}

/** What a reading of notes will be bad at. */
export function limitsOf(seems: Schemas['Seems']): string {
  return seems.name === 'one' && hasStops(seems) ? STOPS : LIMITS_OF[seems.name]
}

const STOPS =
  'What sounds over its notes is taken for their stops; octaves that are played need a reading as many voices.'
export const LIMITS_OF: Record<Kind, string> = {
  one: '',
  many: '',
  drums: 'A reading of notes will find little in it, and that little will be doubtful.',
  mix: 'Notes under a drum’s stroke will be missed or begin late, and soft ones are hidden.',
}
export const CHARACTERS: Record<string, string> = {
  struck: 'struck or plucked',
  sustained: 'sung, bowed or blown',
}
/** What settings can do about it. */
export const SETTINGS_FOR: Partial<Record<Kind, string>> = {
  mix: 'Settings can leave the drums out, or follow one line.',
}
