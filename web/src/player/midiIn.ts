/** Keys struck on a connected keyboard or pad box, where the browser lets us listen. */

const NOTE_ON = 0x90

/** Tells of every key struck until the answer is called, on what is plugged in later too; nothing where there is no MIDI. */
export function listenToMidi(struck: (key: number, velocity: number) => void): () => void {
  let access: MIDIAccess | null = null
  let ended = false
  const hear = (event: MIDIMessageEvent) => {
    const [kind, key, velocity] = event.data ?? []
    if ((kind & 0xf0) === NOTE_ON && velocity > 0) struck(key, velocity)
  }
  // Listening twice to one input is listening once.
  const listen = () => access?.inputs.forEach((input) => input.addEventListener('midimessage', hear))
  if ('requestMIDIAccess' in navigator) {
    navigator
      .requestMIDIAccess()
      .then((given) => {
        if (ended) return
        access = given
        access.addEventListener('statechange', listen)
        listen()
      })
      // Refused by the user or the system: the pads are still played by mouse and keys.
      .catch(() => undefined)
  }
  return () => {
    ended = true
    access?.removeEventListener('statechange', listen)
    access?.inputs.forEach((input) => input.removeEventListener('midimessage', hear))
  }
}
