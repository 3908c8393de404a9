import { createRouter, createWebHistory, type RouteLocationNormalized } from 'vue-router'

const byId = (route: RouteLocationNormalized) => ({ id: Number(route.params.id) })

export const router = createRouter({
  history: createWebHistory('/'),
  routes: [
    {
      path: '/sign-in',
      name: 'sign-in',
      component: () => import('./door/SignInPage.vue'),
      meta: { outside: true },
    },
    {
      path: '/first-run/:linkKey',
      name: 'first-run',
      component: () => import('./door/FirstRunPage.vue'),
      props: true,
      meta: { outside: true },
    },
    {
      path: '/welcome/:coded/:token',
      name: 'welcome',
      component: () => import('./door/WelcomePage.vue'),
      props: true,
      meta: { outside: true },
    },
    {
      path: '/',
      component: () => import('./pages/ShopFrame.vue'),
      children: [
        { path: '', name: 'programmes', component: () => import('./pages/ProgrammesPage.vue') },
        {
          path: 'programmes/new',
          name: 'new-programme',
          component: () => import('./pages/NewProgrammePage.vue'),
        },
        { path: 'engines', name: 'engines', component: () => import('./pages/EnginesPage.vue') },
        {
          path: 'builds/:id(\\d+)',
          name: 'build',
          component: () => import('./pages/BuildPage.vue'),
          props: byId,
        },
        { path: 'parts', name: 'parts', component: () => import('./pages/PartsPage.vue') },
        {
          path: 'parts/:id(\\d+)',
          name: 'part',
          component: () => import('./pages/PartPage.vue'),
          props: byId,
        },
        { path: 'stacks', name: 'stacks', component: () => import('./pages/StacksPage.vue') },
        { path: 'checklist', name: 'checklist', component: () => import('./pages/ChecklistPage.vue') },
        { path: 'air', name: 'air', component: () => import('./pages/AirPage.vue') },
        { path: 'stands', name: 'stands', component: () => import('./pages/StandsPage.vue') },
        { path: 'people', name: 'people', component: () => import('./pages/PeoplePage.vue') },
        { path: 'shop', name: 'shop', component: () => import('./pages/ShopPage.vue') },
      ],
    },
    {
      path: '/programmes/:id(\\d+)',
      component: () => import('./pages/ProgrammeFrame.vue'),
      props: byId,
      children: [
        { path: '', redirect: (to) => `${to.path.replace(/\/$/, '')}/curves` },
        { path: 'engine', name: 'engine', component: () => import('./pages/EnginePage.vue') },
        { path: 'plan', name: 'plan', component: () => import('./pages/PlanPage.vue') },
        { path: 'plan/change', name: 'change-plan', component: () => import('./pages/ChangePlanPage.vue') },
        { path: 'stand', name: 'stand', component: () => import('./pages/StandPage.vue') },
        { path: 'pulls', name: 'pulls', component: () => import('./pages/PullsPage.vue') },
        { path: 'pulls/files', name: 'import', component: () => import('./pages/ImportPage.vue') },
        { path: 'pulls/figures', name: 'figures', component: () => import('./pages/FiguresPage.vue') },
        { path: 'pulls/:pull(\\d+)', name: 'pull', component: () => import('./pages/InspectorPage.vue') },
        { path: 'curves', name: 'curves', component: () => import('./pages/CurvesPage.vue') },
        { path: 'verdict', name: 'verdict', component: () => import('./pages/VerdictPage.vue') },
        { path: 'sheet', name: 'sheet', component: () => import('./pages/SheetPage.vue') },
        { path: 'air', name: 'programme-air', component: () => import('./pages/ProgrammeAirPage.vue') },
      ],
    },
    { path: '/:address(.*)*', name: 'unknown', component: () => import('./pages/UnknownPage.vue') },
  ],
})
