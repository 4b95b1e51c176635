/**
 * A canvas that is drawn again when what it shows, its size or the theme changes; once a frame at most.
 * One that may wait lets a frame pass, so that the lanes worked in come first.
 */
import { onBeforeUnmount, onMounted, useTemplateRef, watch, type WatchSource } from 'vue'
import { useView } from '../folio/view'
import { prepare, timed } from './surface'

export type Draw = (pen: CanvasRenderingContext2D, width: number, height: number) => void

export function useCanvas(name: string, sources: WatchSource[], draw: Draw, mayWait = false) {
  const canvas = useTemplateRef<HTMLCanvasElement>(name)
  const view = useView()
  let asked = 0
  let resizing: ResizeObserver | null = null

  function now() {
    asked = 0
    if (!canvas.value) return
    const { pen, width, height } = prepare(canvas.value)
    // What a lane clips or shifts must not outlast its drawing.
    pen.save()
    if (width > 0 && height > 0) timed(name, () => draw(pen, width, height))
    pen.restore()
  }
  function ask() {
    if (asked) return
    asked = requestAnimationFrame(mayWait ? () => (asked = requestAnimationFrame(now)) : now)
  }
  onMounted(() => {
    resizing = new ResizeObserver(ask)
    if (canvas.value) resizing.observe(canvas.value)
    void document.fonts.ready.then(ask)
  })
  onBeforeUnmount(() => {
    resizing?.disconnect()
    cancelAnimationFrame(asked)
  })
  watch([...sources, () => view.theme], ask, { flush: 'post' })
  return { canvas, ask }
}
