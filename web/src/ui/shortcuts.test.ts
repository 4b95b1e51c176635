import { beforeEach, describe, expect, it, vi } from 'vitest'

const stored = new Map<string, string>()
vi.stubGlobal('localStorage', {
  getItem: (key: string) => stored.get(key) ?? null,
  setItem: (key: string, value: string) => stored.set(key, value),
  removeItem: (key: string) => stored.delete(key),
})
const { actions, actionsIn, changeKey, keyFor, keyOf, register, resetKeys, shownKey } =
  await import('./shortcuts')

function pressed(key: string, held: Partial<KeyboardEvent> = {}): string {
  return keyOf({
    key,
    ctrlKey: false,
    metaKey: false,
    altKey: false,
    shiftKey: false,
    ...held,
  } as KeyboardEvent)
}

describe('keys', () => {
  beforeEach(() => {
    actions.clear()
    resetKeys()
    register([
      { id: 'a', label: 'A', key: 'a', group: 'g', run: () => undefined },
      { id: 'b', label: 'B', key: 'b', group: 'g', run: () => undefined },
    ])
  })
  it('names keys with their modifiers', () => {
    expect(pressed('N', { shiftKey: true })).toBe('Shift+n')
    expect(pressed('?', { shiftKey: true })).toBe('?')
    expect(pressed('ArrowUp', { shiftKey: true })).toBe('Shift+ArrowUp')
    expect(pressed('c', { metaKey: true })).toBe('Mod+c')
    expect(pressed('ArrowLeft', { altKey: true })).toBe('Alt+ArrowLeft')
  })
  it('shows them in small frames', () => {
    const keys = [' ', 'Shift+ArrowUp', 'Mod+c', 'Delete', '+', 'Mod++', '']
    expect(keys.map(shownKey)).toEqual(['Space', '⇧ ↑', 'Ctrl C', 'Del', '+', 'Ctrl +', ''])
  })
  it('leaves a key to an action of another station, and lists each station with its own first', () => {
    register([
      { id: 'pin', label: 'Pin', key: 'p', group: 'Beat', run: () => undefined },
      { id: 'pads', label: 'Pads', key: 'q', group: 'Slices', run: () => undefined },
    ])
    changeKey('pads', 'p')
    expect([keyFor('pin'), keyFor('pads')]).toEqual(['p', 'p'])
    changeKey('pin', 'a')
    expect(keyFor('a')).toBe('')
    expect(actionsIn('beat').map((action) => action.id)).toEqual(['pin', 'a', 'b'])
    expect(actionsIn('takes').map((action) => action.id)).toEqual(['a', 'b'])
  })
  it('takes a key from the action that had it', () => {
    changeKey('a', 'b')
    expect([keyFor('a'), keyFor('b')]).toEqual(['b', ''])
    resetKeys()
    expect([keyFor('a'), keyFor('b')]).toEqual(['a', 'b'])
  })
})
