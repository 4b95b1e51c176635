import { createRouter, createWebHistory } from 'vue-router'
import FolioList from './stations/folios/FolioList.vue'
import NotesStation from './stations/notes/NotesStation.vue'
import TakesStation from './stations/takes/TakesStation.vue'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'folios', component: FolioList },
    { path: '/folio/:folio/takes', name: 'takes', component: TakesStation },
    { path: '/folio/:folio/notes', name: 'notes', component: NotesStation },
    {
      path: '/folio/:folio/slices',
      name: 'slices',
      component: () => import('./stations/slices/SlicesStation.vue'),
    },
    {
      path: '/folio/:folio/beat',
      name: 'beat',
      component: () => import('./stations/beat/BeatStation.vue'),
    },
    { path: '/folio/:folio', redirect: (to) => ({ name: 'notes', params: to.params }) },
    { path: '/:rest(.*)', redirect: '/' },
  ],
})
