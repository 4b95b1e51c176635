import '@fontsource-variable/atkinson-hyperlegible-mono'
import '@fontsource-variable/atkinson-hyperlegible-next'
import '@fontsource-variable/bricolage-grotesque'
import './ui/roles.css'
import './ui/stations.css'

import { createPinia } from 'pinia'
import PrimeVue from 'primevue/config'
import { createApp } from 'vue'
import App from './App.vue'
import { registerActions } from './folio/actions'
import { frameTimes } from './lanes/surface'
import { router } from './router'
import { paperPreset } from './ui/preset'

declare global {
  interface Window {
    /** Script time of drawing by lane, read by the measuring bench. */
    staveFrames: typeof frameTimes
  }
}
window.staveFrames = frameTimes

const app = createApp(App)
app.use(createPinia())
app.use(router)
app.use(PrimeVue, { theme: { preset: paperPreset, options: { darkModeSelector: '[data-theme=night]' } } })
registerActions(router)
app.mount('#app')
