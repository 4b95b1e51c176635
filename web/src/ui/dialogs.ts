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
export const openDialog = ref<DialogName>('')
