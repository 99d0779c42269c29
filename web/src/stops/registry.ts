/** The stops, in the order in which people work, and their views. Each is loaded when it is first opened. */
import type { Stop } from '$src/frame/stop';

export const STOPS: readonly Stop[] = [
  { name: 'overview', title: 'Overview', views: { summary: () => import('./overview/view') } },
  {
    name: 'import',
    was: 'intake',
    title: 'Import',
    right: 'import and correct',
    load: () => import('./import/ImportStop.svelte'),
  },
  {
    name: 'threads',
    title: 'Threads',
    views: {
      customers: () => import('./threads/customers/view'),
      loom: () => import('./threads/loom/view'),
      nth: () => import('./threads/nth/view'),
      orders: () => import('./threads/orders/view'),
      figures: () => import('./threads/figures/view'),
      pairs: () => import('./threads/pairs/view'),
      backdated: () => import('./threads/backdated/view'),
    },
  },
  { name: 'cohorts', title: 'Cohorts', views: { cohorts: () => import('./cohorts/view') } },
  { name: 'newness', title: 'New & returning', views: { newness: () => import('./newness/view') } },
  {
    name: 'rhythm',
    title: 'Rhythm',
    views: {
      counts: () => import('./rhythm/counts/view'),
      gaps: () => import('./rhythm/gaps/view'),
      'next-order': () => import('./rhythm/next-order/view'),
      due: () => import('./rhythm/due/view'),
    },
  },
  {
    name: 'followup',
    title: 'Follow-up',
    right: 'see customers on lists',
    views: {
      'follow-up': () => import('./followup/follow-up/view'),
      standing: () => import('./followup/standing/view'),
      'lapse-curve': () => import('./followup/lapse-curve/view'),
      worked: () => import('./followup/worked/view'),
      outcomes: () => import('./followup/outcomes/view'),
    },
  },
  {
    name: 'worth',
    title: 'Worth',
    views: {
      worth: () => import('./worth/worth/view'),
      payback: () => import('./worth/payback/view'),
      spend: () => import('./worth/spend/view'),
      compare: () => import('./worth/compare/view'),
      'top-customers': () => import('./worth/top-customers/view'),
      bought: () => import('./worth/bought/view'),
      'leads-to': () => import('./worth/leads-to/view'),
    },
    along: ['margin', 'cac', 'period', 'ages'],
  },
  { name: 'checks', title: 'Checks', apart: 'head', load: () => import('./checks/ChecksStop.svelte') },
  {
    name: 'notes',
    title: 'Notes',
    apart: 'menu',
    right: 'keep lists and views',
    load: () => import('$src/written/NotesPage.svelte'),
  },
  {
    name: 'schedules',
    title: 'Schedules',
    apart: 'menu',
    right: 'import and correct',
    load: () => import('$src/schedules/SchedulesPage.svelte'),
  },
  {
    name: 'members',
    title: 'Members',
    apart: 'menu',
    right: 'decide about the book',
    load: () => import('$src/people/MembersPage.svelte'),
  },
  {
    name: 'log',
    title: 'Log',
    apart: 'menu',
    right: 'decide about the book',
    load: () => import('$src/people/LogPage.svelte'),
  },
];
