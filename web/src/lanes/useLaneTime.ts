/** What lanes on one time axis share: where moments lie, the wheel, the playing cursor. */
import { computed } from 'vue'
import { useView } from '../folio/view'
import { usePlayer } from '../player/store'
import { TimeAxis } from './geometry'

const WHEEL_ZOOM = 0.004

/** `left` is the room for names in pixels, left of the axis. */
export function useLaneTime(left: number) {
  const view = useView()
  const player = usePlayer()

  /** The axis of a lane as wide as this, names included. */
  const axis = (width: number) => new TimeAxis(view.from, view.to, width - left)

  /** Scrolling pans, with Ctrl it zooms at the pointer. */
  function wheel(event: WheelEvent) {
    event.preventDefault()
    const bounds = (event.currentTarget as HTMLElement).getBoundingClientRect()
    const time = axis(bounds.width)
    const x = Math.max(0, event.clientX - bounds.left - left)
    if (event.ctrlKey || event.metaKey) view.zoom(Math.exp(event.deltaY * WHEEL_ZOOM), time.time(x))
    else view.pan((event.deltaX + event.deltaY) * time.perPixel)
  }
  const head = computed(() => {
    const share = (player.position - view.from) / view.span
    return share < 0 || share > 1
      ? { display: 'none' }
      : { left: `calc(${left}px + (100% - ${left}px) * ${share})` }
  })
  return { axis, wheel, head }
}
