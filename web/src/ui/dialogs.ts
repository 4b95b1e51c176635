/** Which dialog is open: one at a time. */
import { ref } from 'vue'

export type DialogName =
  | ''
  | 'hand-on'
  | 'time'
  | 'help'
  | 'history'
  | 'read'
  | 'table'
  | 'velocity'
  | 'pick'
  | 'kit'
  | 'slice-table'
  | 'beat-is'
  | 'beat-meter'
  | 'beat-hold'
  | 'beat-marker'
  | 'beat-click'
  | 'beat-files'
  | 'beat-table'
export const openDialog = ref<DialogName>('')
/** Takes whose parts are to be handed on, none for all that are heard; the dialog takes them over when it opens. */
export const takesToHandOn = ref<string[]>([])
