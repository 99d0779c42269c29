<script lang="ts">
  import { max } from 'd3-array';
  import { periodName } from '$lib/format/dates';
  import { percent } from '$lib/format/figures';
  import StackedColumns from '$src/charts/StackedColumns.svelte';
  import Swatch from '$src/charts/Swatch.svelte';
  import { totalsOf, type Series } from '$src/charts/columns';
  import type { Side } from './newness.svelte';
  import { NEW_TONE, RETURNING_TONE, noun, share, tell, type Newness } from './parts';

  interface Props {
    answer: Newness;
    onopen: (at: string, side: Side, group: string) => void;
  }
  let { answer, onopen }: Props = $props();

  const GAP = 20;
  const TITLE = 24;
  let width = $state(0);
  let height = $state(0);
  let pointed = $state.raw<{ group: string; place: number } | null>(null);
  const shares = $derived(answer.view === 'shares');
  const periods = $derived(answer.periods.map((period) => period.period));
  const across = $derived(answer.groups.length > 1 ? 2 : 1);
  const down = $derived(Math.ceil(answer.groups.length / across));
  const size = $derived({
    width: Math.floor((width - GAP * (across - 1)) / across),
    height: Math.max(90, Math.floor((height - 56) / Math.max(1, down)) - TITLE - 4),
  });
  const drawn = $derived(
    answer.groups.map((group): { label: string; series: Series[] } => ({
      label: group.label,
      series: [
        { key: 'returning', label: 'returning', values: group.returning, tone: RETURNING_TONE },
        { key: 'new', label: 'new', values: group.new, tone: NEW_TONE, hatched: true },
      ],
    })),
  );
  /** All groups share a scale, so that large and small are seen. */
  const most = $derived(max(drawn, ({ series }) => max(totalsOf(series))) ?? 0);
  const sum = (values: number[]) => values.reduce((total, value) => total + value, 0);

  const words = $derived.by(() => {
    const group = answer.groups.find((each) => each.label === pointed?.group);
    if (!group || !pointed) return '';
    const [fresh, back] = [group.new[pointed.place] ?? 0, group.returning[pointed.place] ?? 0];
    return `${group.label}, ${periodName(periods[pointed.place] ?? '')}: ${tell(fresh + back, answer.measure)} ${noun(answer)}, ${tell(fresh, answer.measure)} new (${share(fresh, fresh + back)})`;
  });
</script>

<div class="flex min-h-0 flex-1 flex-col" bind:clientWidth={width} bind:clientHeight={height}>
  <p class="flex min-h-7 items-center gap-5 text-sm">
    <Swatch tone={NEW_TONE} hatched>new</Swatch><Swatch tone={RETURNING_TONE}>returning</Swatch>
    {#if !shares}<span class="quiet">all groups on one scale</span>{/if}
  </p>
  {#if width > 0}
    <div class="flex min-h-0 flex-wrap overflow-y-auto" style:gap="4px {GAP}px" data-testid="groups">
      {#each drawn as { label, series }, at (label)}
        {@const group = answer.groups[at]}
        {@const fresh = sum(group?.new ?? [])}
        {@const all = fresh + sum(group?.returning ?? [])}
        <figure style:width="{size.width}px">
          <figcaption class="flex items-baseline gap-2 truncate" style:height="{TITLE}px">
            <span class="font-semibold">{label}</span>
            {#if answer.measure !== 'customers'}
              <span class="quiet text-sm"
                >{tell(all, answer.measure)} {noun(answer)}, {all ? percent(fresh / all) : '—'} % new</span
              >
            {/if}
          </figcaption>
          <StackedColumns
            label="{label}: {noun(answer)} by {answer.period}, new and returning"
            {periods}
            {series}
            width={size.width}
            height={size.height}
            {shares}
            {most}
            partial={answer.periods.at(-1)?.partial ? 1 : 0}
            tell={(value) => (shares ? `${Math.round(value * 100)} %` : tell(value, answer.measure))}
            pointed={pointed?.place ?? null}
            onpoint={(place) => (pointed = place === null ? null : { group: label, place })}
            onopen={(place, key) => onopen(periods[place] ?? 'all', key as Side, label)}
          />
        </figure>
      {/each}
    </div>
  {/if}
  <p class="mt-1 h-6 shrink-0 truncate text-sm" aria-live="polite">
    {#if words}{words}{:else}<span class="quiet not-printed"
        >New means the customer’s first order of all, whatever its {answer.split_title}.{answer.measure ===
        'customers'
          ? ' A customer can stand in several groups.'
          : ''}</span
      >{/if}
  </p>
</div>
