<script lang="ts">
  import { spoken } from '$lib/periods';
  import { max } from 'd3-array';
  import { periodName } from '$lib/format/dates';
  import { percent } from '$lib/format/figures';
  import { question } from '$lib/question.svelte';
  import StackedColumns from '$src/charts/StackedColumns.svelte';
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import TwinTable from '$src/charts/TwinTable.svelte';
  import { totalsOf, type Series } from '$src/charts/columns';
  import { NEW_TONE, RETURNING_TONE, noun, share, say, type Newness } from './parts';

  interface Props {
    answer: Newness;
    isTable: boolean;
  }
  let { answer, isTable }: Props = $props();

  const GAP = 20;
  const TITLE = 24;
  const WIDE_ENOUGH = 560;
  let pointed = $state.raw<{ group: string; place: number } | null>(null);
  const shares = $derived(answer.view === 'shares');
  const periods = $derived(answer.periods.map((period) => period.period));
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
  const most = $derived(max(drawn, ({ series }) => max(totalsOf(series).above)) ?? 0);
  const titles = $derived(answer.groups.flatMap(({ label }) => [`${label}, new`, `${label}, returning`]));
  const tableRows = $derived(
    periods
      .map((period, place) => ({
        name: periodName(period),
        cells: answer.groups.flatMap((group) =>
          (['new', 'returning'] as const).map((side) => ({
            text: say(group[side][place] ?? 0, answer.measure),
            open: () => question.open(period, side, group.label),
          })),
        ),
      }))
      .reverse(),
  );
  const sum = (values: number[]) => values.reduce((total, value) => total + value, 0);

  const words = $derived.by(() => {
    const group = answer.groups.find((each) => each.label === pointed?.group);
    if (!group || !pointed) return '';
    const [fresh, back] = [group.new[pointed.place] ?? 0, group.returning[pointed.place] ?? 0];
    return `${group.label}, ${periodName(periods[pointed.place] ?? '')}: ${say(fresh + back, answer.measure)} ${noun(answer)}, ${say(fresh, answer.measure)} new (${share(fresh, fresh + back)})`;
  });
</script>

{#snippet table()}
  <TwinTable
    label="New and returning by {spoken(answer.period)} and {answer.split_title}"
    first={spoken(answer.period)}
    {titles}
    rows={tableRows}
  />
{/snippet}

{#if isTable}
  {@render table()}
{:else}
  <ChartFrame
    legend={[
      { label: 'new', tone: NEW_TONE, hatched: true },
      { label: 'returning', tone: RETURNING_TONE },
    ]}
    {words}
    hint="New means the customer’s first order of all, whatever its {answer.split_title}.{answer.measure ===
    'customers'
      ? ' A customer can stand in several groups.'
      : ''}"
    twin={table}
  >
    {#snippet marks()}{#if !shares}<span class="quiet">all groups on one scale</span>{/if}{/snippet}
    {#snippet drawing(room)}
      {@const across = room.width > WIDE_ENOUGH && answer.groups.length > 1 ? 2 : 1}
      {@const down = Math.ceil(answer.groups.length / across)}
      {@const width = Math.floor((room.width - GAP * (across - 1)) / across)}
      {@const height = Math.max(90, Math.floor(room.height / Math.max(1, down)) - TITLE - 4)}
      <div class="flex h-full flex-wrap overflow-y-auto" style:gap="4px {GAP}px" data-testid="groups">
        {#each drawn as { label, series }, at (at)}
          {@const group = answer.groups[at]}
          {@const fresh = sum(group?.new ?? [])}
          {@const all = fresh + sum(group?.returning ?? [])}
          <figure style:width="{width}px">
            <figcaption class="flex items-baseline gap-2 truncate" style:height="{TITLE}px">
              <span class="font-semibold">{label}</span>
              {#if answer.measure !== 'customers'}
                <span class="quiet text-sm"
                  >{say(all, answer.measure)} {noun(answer)}, {all ? percent(fresh / all) : '—'} % new</span
                >
              {/if}
            </figcaption>
            <StackedColumns
              label="{label}: {noun(answer)} by {spoken(answer.period)}, new and returning"
              {periods}
              {series}
              {width}
              {height}
              {shares}
              {most}
              partial={answer.periods.at(-1)?.partial ? 1 : 0}
              say={(value) => (shares ? `${Math.round(value * 100)} %` : say(value, answer.measure))}
              pointed={pointed?.place ?? null}
              onpoint={(place) => (pointed = place === null ? null : { group: label, place })}
              onopen={(place, key) => question.open(periods[place] ?? 'all', key, label)}
            />
          </figure>
        {/each}
      </div>
    {/snippet}
  </ChartFrame>
{/if}
