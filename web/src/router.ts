import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory('/'),
  routes: [
    { path: '/sign-in', name: 'sign-in', component: () => import('./pages/SignInPage.vue') },
    { path: '/', name: 'programmes', component: () => import('./pages/ProgrammesPage.vue') },
    {
      path: '/programmes/:id(\\d+)',
      component: () => import('./pages/ProgrammeFrame.vue'),
      props: (route) => ({ id: Number(route.params.id) }),
      children: [
        { path: '', redirect: (to) => `${to.path.replace(/\/$/, '')}/curves` },
        { path: 'stand', name: 'stand', component: () => import('./pages/StandPage.vue') },
        { path: 'pulls', name: 'pulls', component: () => import('./pages/PullsPage.vue') },
        { path: 'curves', name: 'curves', component: () => import('./pages/CurvesPage.vue') },
        { path: 'verdict', name: 'verdict', component: () => import('./pages/VerdictPage.vue') },
      ],
    },
    { path: '/:address(.*)*', name: 'unknown', component: () => import('./pages/UnknownPage.vue') },
  ],
})
