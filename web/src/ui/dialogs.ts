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
