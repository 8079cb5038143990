// Routes: the shelf, and one per desk of a session.
import { createRouter, createWebHistory } from 'vue-router'
import { BUILT_DESKS } from './desks/desks'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'shelf', component: () => import('./shelf/Shelf.vue') },
    {
      path: '/session/:id',
      component: () => import('./frame/SessionFrame.vue'),
      props: true,
      children: [
        ...BUILT_DESKS.map((d) => ({ path: d.id, name: d.id, component: d.component })),
        {
          path: '',
          redirect: (to: { params: Record<string, unknown> }) => `/session/${String(to.params.id)}/timing`,
        },
      ],
    },
    { path: '/:rest(.*)', redirect: '/' },
  ],
})
