// Routes: the shelf, and one per desk of a session.
import { createRouter, createWebHistory } from 'vue-router'
import { BUILT_DESKS } from './desks/desks'

const sessionFrame = () => import('./frame/SessionFrame.vue')

/** Where a file that is brought in is shown first. */
const FIRST_DESK = 'timing'

/** Fetches what shows a session, so that the first file that is brought in need not wait for it. */
export async function fetchFirstDesk(): Promise<void> {
  await Promise.all([sessionFrame(), BUILT_DESKS.find((d) => d.id === FIRST_DESK)!.component()])
}

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'shelf', component: () => import('./shelf/Shelf.vue') },
    {
      path: '/session/:id',
      component: sessionFrame,
      props: true,
      children: [
        ...BUILT_DESKS.map((d) => ({ path: d.id, name: d.id, component: d.component })),
        {
          path: '',
          redirect: (to: { params: Record<string, unknown> }) =>
            `/session/${String(to.params.id)}/${FIRST_DESK}`,
        },
      ],
    },
    { path: '/:rest(.*)', redirect: '/' },
  ],
})
