/** What is asked while an answer is on its way is asked once, when that has come: nothing queues up on the server. */
export function oneAtATime(ask: () => Promise<void>): () => Promise<void> {
  let running: Promise<void> | null = null
  let again = false
  async function run() {
    try {
      do {
        again = false
        await ask()
      } while (again)
    } finally {
      running = null
    }
  }
  return () => {
    again = true
    running ??= run()
    return running
  }
}
