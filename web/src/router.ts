import { createRouter, createWebHistory } from 'vue-router'

export const stages = [
  { key: 'gather', label: 'Gather', asks: 'What do we know?' },
  { key: 'shape', label: 'Shape', asks: 'Is it cut well?' },
  { key: 'find', label: 'Find', asks: 'Does a question reach the right passage?' },
  { key: 'answer', label: 'Answer', asks: 'Is the reply right and grounded?' },
  { key: 'prove', label: 'Prove', asks: 'How often is it right, and what changed?' },
  { key: 'mend', label: 'Mend', asks: 'What went wrong out there?' },
  { key: 'serve', label: 'Serve', asks: 'Who gets it, and which version?' },
] as const

/** The stage that a route belongs to. */
export function stageOf(route: unknown): string {
  const name = String(route)
  return ['document', 'add', 'checks', 'changes', 'choose'].includes(name) ? 'gather' : name
}

export type StageKey = (typeof stages)[number]['key']

export const router = createRouter({
  history: createWebHistory(),
  routes: [
    { path: '/', name: 'home', component: () => import('./stages/Home.vue') },
    { path: '/sign-in', name: 'sign-in', component: () => import('./people/SignIn.vue') },
    { path: '/welcome/:token', name: 'welcome', component: () => import('./people/WelcomeView.vue') },
    { path: '/account', name: 'account', component: () => import('./people/AccountView.vue') },
    { path: '/people', name: 'people', component: () => import('./people/PeopleView.vue') },
    { path: '/reference', name: 'reference', component: () => import('./reference/ReferenceView.vue') },
    { path: '/audit', name: 'audit', component: () => import('./people/AuditView.vue') },
    {
      path: '/c/:corpus',
      children: [
        { path: '', redirect: (to) => ({ name: 'gather', params: to.params }) },
        {
          path: 'gather',
          component: () => import('./stages/gather/GatherStage.vue'),
          children: [
            { path: '', name: 'gather', component: () => import('./stages/gather/DocumentList.vue') },
            { path: 'add', name: 'add', component: () => import('./stages/gather/AddSource.vue') },
            { path: 'checks', name: 'checks', component: () => import('./stages/gather/ChecksView.vue') },
            { path: 'changes', name: 'changes', component: () => import('./stages/gather/ChangesView.vue') },
            { path: 'choose/:source', name: 'choose', component: () => import('./stages/gather/ChoosePages.vue') },
          ],
        },
        { path: 'gather/:document', name: 'document', component: () => import('./stages/gather/DocumentView.vue') },
        { path: 'shape', name: 'shape', component: () => import('./stages/shape/ShapeStage.vue') },
        { path: 'find', name: 'find', component: () => import('./stages/find/FindStage.vue') },
        { path: 'answer', name: 'answer', component: () => import('./stages/answer/AnswerStage.vue') },
        { path: 'prove', name: 'prove', component: () => import('./stages/prove/ProveStage.vue') },
        { path: 'mend', name: 'mend', component: () => import('./stages/mend/MendStage.vue') },
        { path: 'people', name: 'members', component: () => import('./people/MembersView.vue') },
        { path: 'keeping', name: 'keeping', component: () => import('./people/KeepingView.vue') },
        { path: 'serve', name: 'serve', component: () => import('./stages/serve/ServeStage.vue') },
      ],
    },
    { path: '/:rest(.*)*', redirect: '/' },
  ],
})
