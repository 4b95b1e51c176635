/** Words for what a take seems to hold, and what a reading of notes will be bad at then. */
import type { Schemas } from '../folio/client'

type Kind = Schemas['Seems']['name']

export const HOLDS: Record<Kind, string> = {
  one: 'one voice',
  many: 'many voices',
  drums: 'drums',
  mix: 'a mix of drums and notes',
}

export const LIMITS_OF: Record<Kind, string> = {
  one: '',
  many: '',
  drums: 'A reading of notes will find little in it, and that little will be doubtful.',
  mix: 'Notes under a drum’s stroke will be missed or begin late, and soft ones are hidden; settings can leave the drums out, or follow one line.',
}
