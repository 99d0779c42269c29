/** What the customers on record will bring, and how sure that is. */
import { defineView } from '$src/frame/view';
import ForecastGuide from './ForecastGuide.svelte';
import ForecastView from './ForecastView.svelte';

export const VIEW = defineView<'forecast'>({
  name: 'forecast',
  drawing: ForecastView,
  guide: ForecastGuide,
});
