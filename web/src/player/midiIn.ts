/** Keys struck on a connected keyboard or pad box, where the browser lets us listen. */

const NOTE_ON = 0x90

/** Tells of every key struck until the answer is called; does nothing where there is no MIDI. */
export function listenToMidi(struck: (key: number, velocity: number) => void): () => void {
  let inputs: MIDIInput[] = []
  let ended = false
  const hear = (event: MIDIMessageEvent) => {
    const [kind, key, velocity] = event.data ?? []
    if ((kind & 0xf0) === NOTE_ON && velocity > 0) struck(key, velocity)
  }
  if ('requestMIDIAccess' in navigator) {
    navigator
      .requestMIDIAccess()
      .then((access) => {
        if (ended) return
        inputs = [...access.inputs.values()]
        for (const input of inputs) input.addEventListener('midimessage', hear)
      })
      // Refused by the user or the system: the pads are still played by mouse and keys.
      .catch(() => undefined)
  }
  return () => {
    ended = true
    for (const input of inputs) input.removeEventListener('midimessage', hear)
  }
}
