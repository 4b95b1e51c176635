/** What sounds: its sources, and the outputs they go through; all of it is let go at once, without a click. */
const LET_GO_S = 0.008
/** By then what was let go is silent, whatever the sound card still holds. */
const FORGOTTEN_MS = 200

export class Voices {
  private readonly sources = new Set<AudioScheduledSourceNode>()
  private readonly outputs = new Map<AudioNode, GainNode>()

  constructor(private readonly context: BaseAudioContext) {}

  /** An output to somewhere that is let go with everything else. */
  through(to: AudioNode): GainNode {
    let output = this.outputs.get(to)
    if (!output) {
      output = this.context.createGain()
      output.connect(to)
      this.outputs.set(to, output)
    }
    return output
  }

  /** Remembers what was told when to start. */
  keep(source: AudioScheduledSourceNode): void {
    this.sources.add(source)
    source.onended = () => this.sources.delete(source)
  }

  /** Everything that sounds falls silent within milliseconds; nothing that was to come begins. */
  letGo(): void {
    const now = this.context.currentTime
    for (const output of this.outputs.values()) {
      output.gain.setValueAtTime(1, now)
      output.gain.linearRampToValueAtTime(0, now + LET_GO_S)
      window.setTimeout(() => output.disconnect(), FORGOTTEN_MS)
    }
    for (const source of this.sources) source.stop(now + LET_GO_S)
    this.outputs.clear()
    this.sources.clear()
  }
}
