/** Of those who first ordered in the same period, who came back, when, for how much. */
import { named } from '$lib/question.svelte';
import { defineView } from '$src/frame/view';
import CohortsGuide from './CohortsGuide.svelte';
import CohortsView from './CohortsView.svelte';
import ShowNumbers from './ShowNumbers.svelte';

const LAYOUTS = [
  { layout: 'grid', label: 'as shown' },
  { layout: 'tidy', label: 'long format' },
];

export const VIEW = defineView<'cohorts'>({
  name: 'cohorts',
  // what was opened belongs to the old cells
  clears: { split: ['against', 'open', 'age'], period: ['open', 'age'], ages: ['open'] },
  looks: ['view', 'columns'],
  opens: (cohort, age?: string, ...group) =>
    age === undefined ? undefined : { cohort, age, ...named('group', group) },
  drawing: CohortsView,
  guide: CohortsGuide,
  tools: ShowNumbers,
  tables: (shown) =>
    LAYOUTS.map(({ layout, label }) => ({ ...shown, query: { ...shown.query, layout }, label })),
});
