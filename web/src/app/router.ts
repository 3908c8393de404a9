import { createRouter, createWebHistory, type RouteLocationNormalized } from 'vue-router'

import { watchScreens } from './useAddress'

const byId = (route: RouteLocationNormalized) => ({ id: Number(route.params.id) })

export const router = createRouter({
  history: createWebHistory('/'),
  routes: [
    {
      path: '/sign-in',
      name: 'sign-in',
      component: () => import('../stages/door/SignInPage.vue'),
      meta: { outside: true },
    },
    {
      path: '/first-run/:linkKey',
      name: 'first-run',
      component: () => import('../stages/door/FirstRunPage.vue'),
      props: true,
      meta: { outside: true },
    },
    {
      path: '/welcome/:coded/:token',
      name: 'welcome',
      component: () => import('../stages/door/WelcomePage.vue'),
      props: true,
      meta: { outside: true },
    },
    {
      path: '/',
      component: () => import('./ShopFrame.vue'),
      children: [
        { path: '', name: 'programmes', component: () => import('../stages/home/HomePage.vue') },
        {
          path: 'programmes/new',
          name: 'new-programme',
          component: () => import('../stages/plan/NewProgrammePage.vue'),
        },
        { path: 'engines', name: 'engines', component: () => import('../stages/engine/EnginesPage.vue') },
        {
          path: 'builds/:id(\\d+)',
          name: 'build',
          component: () => import('../stages/engine/BuildPage.vue'),
          props: byId,
        },
        { path: 'parts', name: 'parts', component: () => import('../stages/parts/PartsPage.vue') },
        {
          path: 'parts/:id(\\d+)',
          name: 'part',
          component: () => import('../stages/parts/PartPage.vue'),
          props: byId,
        },
        {
          path: 'tune-sizes',
          name: 'tune-sizes',
          component: () => import('../stages/parts/TuneSizesPage.vue'),
        },
        { path: 'stacks', name: 'stacks', component: () => import('../stages/parts/StacksPage.vue') },
        { path: 'checklist', name: 'checklist', component: () => import('../stages/shop/ChecklistPage.vue') },
        {
          path: 'instruments',
          name: 'instruments',
          component: () => import('../stages/shop/InstrumentsPage.vue'),
        },
        {
          path: 'practice',
          name: 'practice',
          component: () => import('../stages/practice/PracticePage.vue'),
        },
        {
          path: 'guidelines',
          name: 'guidelines',
          component: () => import('../stages/guidelines/GuidelinesPage.vue'),
        },
        {
          path: 'guidelines/:id(\\d+)',
          name: 'guideline',
          component: () => import('../stages/guidelines/GuidelinePage.vue'),
          props: byId,
        },
        { path: 'overlay', name: 'overlay', component: () => import('../stages/overlay/OverlayPage.vue') },
        { path: 'search', name: 'search', component: () => import('../stages/search/SearchPage.vue') },
        { path: 'air', name: 'air', component: () => import('../stages/air/AirPage.vue') },
        {
          path: 'background-work',
          name: 'background-work',
          component: () => import('../stages/shop/BackgroundWorkPage.vue'),
        },
        { path: 'stands', name: 'stands', component: () => import('../stages/shop/StandsPage.vue') },
        { path: 'people', name: 'people', component: () => import('../stages/shop/PeoplePage.vue') },
        { path: 'shop', name: 'shop', component: () => import('../stages/shop/ShopPage.vue') },
      ],
    },
    {
      path: '/programmes/:id(\\d+)',
      component: () => import('./ProgrammeFrame.vue'),
      props: byId,
      children: [
        { path: '', redirect: (to) => `${to.path.replace(/\/$/, '')}/curves` },
        { path: 'engine', name: 'engine', component: () => import('../stages/engine/EnginePage.vue') },
        { path: 'plan', name: 'plan', component: () => import('../stages/plan/PlanPage.vue') },
        {
          path: 'plan/change',
          name: 'change-plan',
          component: () => import('../stages/plan/ChangePlanPage.vue'),
        },
        { path: 'stand', name: 'stand', component: () => import('../stages/dyno/DynoPage.vue') },
        { path: 'pulls', name: 'pulls', component: () => import('../stages/pulls/PullsPage.vue') },
        { path: 'pulls/files', name: 'import', component: () => import('../stages/pulls/ImportPage.vue') },
        {
          path: 'pulls/figures',
          name: 'figures',
          component: () => import('../stages/pulls/FiguresPage.vue'),
        },
        {
          path: 'pulls/:pull(\\d+)',
          name: 'pull',
          component: () => import('../stages/pulls/InspectorPage.vue'),
        },
        { path: 'curves', name: 'curves', component: () => import('../stages/curves/CurvesPage.vue') },
        { path: 'verdict', name: 'verdict', component: () => import('../stages/verdict/VerdictPage.vue') },
        { path: 'sheet', name: 'sheet', component: () => import('../stages/report/ReportPage.vue') },
        { path: 'air', name: 'programme-air', component: () => import('../stages/air/ProgrammeAirPage.vue') },
      ],
    },
    { path: '/:address(.*)*', name: 'unknown', component: () => import('./UnknownPage.vue') },
  ],
})

watchScreens(router)
