/** Keys and what they do: shown on buttons, listed by `?`, changeable, and able to be turned off. */
import { reactive, ref, watch } from 'vue'
import { openDialog } from './dialogs'

export interface Action {
  id: string
  label: string
  /** Key as given by `keyOf`; empty for none. */
  key: string
  group: string
  run: () => void
  /** For keys that act while held. */
  release?: () => void
  when?: () => boolean
}

/** Groups of keys that act in one station only. */
const STATION_OF: Record<string, string> = {
  Beat: 'beat',
  Slices: 'slices',
  'Walking and hearing': 'notes',
  Mending: 'notes',
  Selecting: 'notes',
}
const STORED = 'stave-keys'
const NAMES: Record<string, string> = {
  ' ': 'Space',
  ArrowLeft: '←',
  ArrowRight: '→',
  ArrowUp: '↑',
  ArrowDown: '↓',
  Delete: 'Del',
  Escape: 'Esc',
}

export const actions = reactive(new Map<string, Action>())
export const singleKeys = ref(true)
const changed = reactive<Record<string, string>>({})
let holding: Action | null = null

try {
  const stored = JSON.parse(localStorage.getItem(STORED) ?? '{}') as {
    keys?: Record<string, string>
    single?: boolean
  }
  Object.assign(changed, stored.keys ?? {})
  singleKeys.value = stored.single ?? true
} catch {
  localStorage.removeItem(STORED)
}
watch([changed, singleKeys], () => {
  localStorage.setItem(STORED, JSON.stringify({ keys: changed, single: singleKeys.value }))
})

export function register(list: Action[]): void {
  for (const action of list) actions.set(action.id, action)
}
export function keyFor(id: string): string {
  return changed[id] ?? actions.get(id)?.key ?? ''
}
/** Gives an action a key, and takes it from those that it would act beside. */
export function changeKey(id: string, key: string): void {
  const own = STATION_OF[actions.get(id)?.group ?? '']
  for (const other of actions.values()) {
    const station = STATION_OF[other.group]
    const apart = own && station && own !== station
    if (other.id !== id && !apart && keyFor(other.id) === key) changed[other.id] = ''
  }
  changed[id] = key
}
/** Actions of a station, those that act everywhere after its own, without what its own keys stand before. */
export function actionsIn(station: string): Action[] {
  const all = [...actions.values()]
  const own = all.filter((action) => STATION_OF[action.group] === station)
  const taken = new Set(own.map((action) => keyFor(action.id)).filter(Boolean))
  const everywhere = all.filter((action) => !STATION_OF[action.group] && !taken.has(keyFor(action.id)))
  return [...own, ...everywhere]
}
export function resetKeys(): void {
  for (const id of Object.keys(changed)) Reflect.deleteProperty(changed, id)
}

/** Name of a pressed key with its modifiers, such as `Shift+ArrowUp` or `Mod+c`. */
export function keyOf(event: KeyboardEvent): string {
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key
  const shifted = event.shiftKey && (event.key.length > 1 || /[a-z]/i.test(event.key))
  return [
    event.ctrlKey || event.metaKey ? 'Mod+' : '',
    event.altKey ? 'Alt+' : '',
    shifted ? 'Shift+' : '',
    key,
  ].join('')
}
export function shownKey(key: string): string {
  // The last may be the plus itself.
  return (key.match(/(Mod|Alt|Shift)(?=\+)|[^+]+$|\+$/g) ?? [])
    .map(
      (k) => NAMES[k] ?? (k === 'Mod' ? 'Ctrl' : k === 'Shift' ? '⇧' : k.length === 1 ? k.toUpperCase() : k),
    )
    .join(' ')
}

function typing(target: EventTarget | null): boolean {
  const element = target as HTMLElement | null
  return !!element?.closest(
    'input:not([type=range]):not([type=checkbox]), textarea, select, [contenteditable]',
  )
}
function opensItself(target: EventTarget | null, key: string): boolean {
  const element = target as HTMLElement | null
  // The space bar opens no link: after going to a station by its link it plays.
  if (key === ' ' || key === 'Enter')
    return !!element?.closest(
      `button, [role=button], [role=combobox], [role=slider]${key === 'Enter' ? ', a' : ''}`,
    )
  return (
    key.startsWith('Arrow') &&
    !!element?.closest('input[type=range], [role=slider], [role=combobox], [role=listbox]')
  )
}

export function listenForKeys(): () => void {
  // The key that closes a dialog must not act on what lies behind it, too.
  let inDialog = false
  const before = () => (inDialog = openDialog.value !== '')
  const down = (event: KeyboardEvent) => {
    const key = keyOf(event)
    if (event.repeat && holding) return event.preventDefault()
    if (inDialog || typing(event.target) || opensItself(event.target, event.key)) return
    if (!singleKeys.value && key.length === 1 && key !== '?') return
    for (const action of actions.values()) {
      if (keyFor(action.id) !== key || (action.when && !action.when())) continue
      event.preventDefault()
      if (action.release) {
        if (event.repeat) return
        holding = action
      }
      action.run()
      return
    }
  }
  const up = () => {
    holding?.release?.()
    holding = null
  }
  window.addEventListener('keydown', before, true)
  window.addEventListener('keydown', down)
  window.addEventListener('keyup', up)
  window.addEventListener('blur', up)
  return () => {
    window.removeEventListener('keydown', before, true)
    window.removeEventListener('keydown', down)
    window.removeEventListener('keyup', up)
    window.removeEventListener('blur', up)
  }
}
