/** The stops, in the order in which people work. Each is loaded when it is first opened. */
import type { Stop } from '$src/frame/stop';

export const STOPS: readonly Stop[] = [
  { name: 'overview', title: 'Overview', load: () => import('./overview/OverviewStop.svelte') },
  { name: 'intake', title: 'Intake', load: () => import('./intake/IntakeStop.svelte') },
  { name: 'threads', title: 'Threads', load: () => import('./threads/ThreadsStop.svelte') },
  { name: 'cohorts', title: 'Cohorts', load: () => import('./cohorts/CohortsStop.svelte') },
  { name: 'newness', title: 'New & returning', load: () => import('./newness/NewnessStop.svelte') },
  { name: 'rhythm', title: 'Rhythm', load: () => import('./rhythm/RhythmStop.svelte') },
  { name: 'followup', title: 'Follow-up', load: () => import('./followup/FollowupStop.svelte') },
  { name: 'worth', title: 'Worth', load: () => import('./worth/WorthStop.svelte') },
  { name: 'checks', title: 'Checks', apart: true, load: () => import('./checks/ChecksStop.svelte') },
];
