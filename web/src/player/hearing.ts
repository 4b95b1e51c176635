/** Hearing slices: as they play, alone or in the loop. */
import { useKits, type SliceBody } from '../folio/kits'
import { useNotices } from '../folio/notices'
import { usePlayer } from './store'

/** The slice as it plays: with its gain, fade and direction. */
export async function hearSlice(piece: SliceBody): Promise<void> {
  const kits = useKits()
  try {
    await usePlayer().hear(kits.addressOf(piece.id))
  } catch (error) {
    useNotices().tellProblem(error)
  }
}

/** The same stretch of the untouched recording. */
export function hearLoop(piece: SliceBody): void {
  void usePlayer().hearRecording(piece.first_s, piece.last_s)
}
