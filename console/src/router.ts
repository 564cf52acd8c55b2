import { createRouter, createWebHistory } from 'vue-router'

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    {
      path: '/',
      name: 'settled',
      component: () => import('./pages/SettledPage.vue'),
      meta: { title: 'Is everything up to date?' },
    },
    {
      path: '/documents/:path(.*)*',
      name: 'documents',
      component: () => import('./pages/DocumentsPage.vue'),
      meta: { title: 'Documents' },
    },
    {
      path: '/lists/:list?',
      name: 'lists',
      component: () => import('./pages/ListsPage.vue'),
      meta: { title: 'Lists' },
    },
    {
      path: '/screens',
      name: 'screens',
      component: () => import('./pages/ScreensPage.vue'),
      meta: { title: 'Screens', wide: true },
    },
    {
      path: '/together',
      name: 'together',
      component: () => import('./pages/TogetherPage.vue'),
      meta: { title: 'Side by side' },
    },
    { path: '/audit', name: 'audit', component: () => import('./pages/AuditPage.vue'), meta: { title: 'Audit' } },
    {
      path: '/changes/:position',
      name: 'change',
      component: () => import('./pages/ChangePage.vue'),
      meta: { title: 'What it caused' },
    },
    {
      path: '/design/picture',
      name: 'picture',
      component: () => import('./pages/PicturePage.vue'),
      meta: { title: 'The design as a picture', wide: true },
    },
    {
      path: '/design/drafts',
      name: 'drafts',
      component: () => import('./pages/DraftsPage.vue'),
      meta: { title: 'Drafts' },
    },
    {
      path: '/design/drafts/:draft',
      name: 'draft',
      component: () => import('./pages/DraftPage.vue'),
      meta: { title: 'Draft', wide: true },
    },
    {
      path: '/design/forecast',
      name: 'forecast',
      component: () => import('./pages/ForecastPage.vue'),
      meta: { title: 'What it costs' },
    },
    { path: '/design', name: 'design', component: () => import('./pages/DesignPage.vue'), meta: { title: 'Design' } },
    {
      path: '/access',
      name: 'access',
      component: () => import('./pages/AccessPage.vue'),
      meta: { title: 'Who may what?' },
    },
    { path: '/calls', name: 'calls', component: () => import('./pages/CallsPage.vue'), meta: { title: 'Calls' } },
    {
      path: '/parked',
      name: 'parked',
      component: () => import('./pages/ParkedPage.vue'),
      meta: { title: 'Parked work' },
    },
    {
      path: '/forgotten/:id',
      name: 'forgotten',
      component: () => import('./pages/ForgottenPage.vue'),
      meta: { title: 'Forgotten' },
    },
    { path: '/enter', name: 'enter', component: () => import('./pages/EnterPage.vue'), meta: { title: 'Sign in' } },
    { path: '/:rest(.*)*', component: () => import('./pages/NowherePage.vue'), meta: { title: 'Nothing here' } },
  ],
})

router.afterEach((to) => {
  document.title = `${String(to.meta.title)} · Yalvo`
})
