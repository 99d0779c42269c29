<script lang="ts">
  import { spoken } from '$lib/periods';
  import ScrolledDrawing from '$src/charts/ScrolledDrawing.svelte';
  import { bandPath, clothOf, STANDS, threadPath, TONES, type Flow, type Over } from '../standings';

  interface Props {
    over: Over;
    width: number;
    height: number;
    events: { place: number; labels: string[] }[];
    tick: (place: number, every: number) => string;
    pointed: number | null;
    onpoint: (place: number | null) => void;
    onopen: (place: number, stands: string, flow?: Flow) => void;
  }
  let { over, width, height, events, tick, pointed, onpoint, onopen }: Props = $props();

  const LEFT = 64;
  const TOP = 34;
  const BOTTOM = 22;
  const NARROWEST = 4;
  const ROOM = 58;
  const step = $derived(
    Math.max(NARROWEST, Math.min(70, (width - LEFT - 8) / Math.max(1, over.periods.length))),
  );
  const wide = $derived(Math.max(width, LEFT + step * over.periods.length + 8));
  const cloth = $derived(clothOf(over, TOP, height - BOTTOM));
  const every = $derived(Math.max(1, Math.ceil(ROOM / step)));
  const place = (flow: Flow) => over.flows.indexOf(flow);
  const most = $derived(
    Math.max(
      1,
      ...over.periods.flatMap(({ flows }) =>
        (['began', 'became_lapsed', 'won_back'] as const).map((flow) => flows[place(flow)] ?? 0),
      ),
    ),
  );
  /** As broad as it has customers; nobody's thread is too fine to see. */
  const broad = (customers: number) => (customers ? Math.max(0.8, (0.44 * step * customers) / most) : 0);

  const active = $derived(over.periods.map(({ customers }) => ({ from: 0, to: -(customers[0] ?? 0) })));
  const below = $derived(
    STANDS.slice(1).map((stands, at) => ({
      stands,
      edges: over.periods.map(({ customers }) => {
        const from = customers.slice(1, at + 1).reduce((sum, each) => sum + each, 0);
        return { from, to: from + (customers[at + 1] ?? 0) };
      }),
    })),
  );
  const highest = $derived(Math.max(...over.periods.map(({ customers }) => customers[0] ?? 0)));

  const at = (event: MouseEvent) => {
    const left = (event.currentTarget as SVGElement).getBoundingClientRect().left;
    const found = Math.floor((event.clientX - left - LEFT) / step);
    return found >= 0 && found < over.periods.length ? found : null;
  };

  /** The band or the thread that was clicked. */
  function opened(event: MouseEvent): void {
    const found = at(event);
    const period = found === null ? undefined : over.periods[found];
    if (found === null || !period) return;
    const box = (event.currentTarget as SVGElement).getBoundingClientRect();
    const y = event.clientY - box.top;
    const active = cloth.floor - (period.customers[0] ?? 0) * cloth.scale;
    if (y < active) onopen(found, 'all', 'began');
    else if (y <= cloth.floor) onopen(found, 'active');
    else if (y < cloth.ceiling) {
      const half = event.clientX - box.left - LEFT - found * step < step / 2;
      onopen(found, 'all', half ? 'became_lapsed' : 'won_back');
    } else {
      let edge = cloth.ceiling;
      const hit = STANDS.slice(1).find((_, place) => {
        edge += (period.customers[place + 1] ?? 0) * cloth.scale;
        return y <= edge;
      });
      onopen(found, hit ?? 'all');
    }
  }
</script>

<ScrolledDrawing label="Standings over time" {width} {wide}>
  <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
  <svg
    width={wide}
    {height}
    role="img"
    aria-label="Active and lapsed customers at the end of each {spoken(over.period)}, and who moved between"
    class="cursor-pointer"
    onpointermove={(event) => onpoint(at(event))}
    onpointerdown={(event) => onpoint(at(event))}
    onpointerleave={() => onpoint(null)}
    onclick={opened}
  >
    <text class="label" x="0" y={cloth.floor - 6}>active</text>
    <text class="label" x="0" y={cloth.ceiling + 14}>lapsed</text>
    <text class="faint" x="0" y={cloth.floor + 26}>became ↓</text>
    <text class="faint" x="0" y={cloth.floor + 44}>won back ↑</text>
    <text class="faint" x="0" y={Math.max(12, cloth.floor - highest * cloth.scale - 8)}>began ↓</text>
    <g transform="translate({LEFT} 0)">
      {#each events as event (event.place)}
        <rect
          class="event"
          x={event.place * step}
          y={TOP - 12}
          width={step}
          height={height - BOTTOM - TOP + 12}><title>{event.labels.join(', ')}</title></rect
        >
      {/each}
      {#if pointed !== null}
        <rect
          class="pointed"
          x={pointed * step}
          y={TOP - 26}
          width={step}
          height={height - BOTTOM - TOP + 26}
        />
      {/if}
      <path class="tone-{TONES.active}" d={bandPath(active, step, cloth.floor, cloth.scale)} />
      {#each below as { stands, edges } (stands)}
        <path class="tone-{TONES[stands]}" d={bandPath(edges, step, cloth.ceiling, cloth.scale)} />
      {/each}
      {#each over.periods as period, place_ (period.period)}
        {@const x = place_ * step}
        {@const top = cloth.floor - (period.customers[0] ?? 0) * cloth.scale}
        {@const began = period.flows[place('began')] ?? 0}
        {@const fell = period.flows[place('became_lapsed')] ?? 0}
        {@const back = period.flows[place('won_back')] ?? 0}
        {#if began}
          <line
            class="thread"
            x1={x + step / 2}
            x2={x + step / 2}
            y1={top - 20}
            y2={top}
            stroke-width={broad(began)}
          />
        {/if}
        {#if fell}
          <path
            class="fell"
            d={threadPath(x + step * 0.12, cloth.floor, cloth.ceiling, step * 0.4)}
            stroke-width={broad(fell)}
          />
        {/if}
        {#if back}
          <path
            class="thread"
            d={threadPath(x + step * 0.48, cloth.ceiling, cloth.floor, step * 0.4)}
            stroke-width={broad(back)}
          />
        {/if}
        {#if tick(place_, every)}
          <text class="label" x={x + step / 2} y={height - 5} text-anchor="middle">{tick(place_, every)}</text
          >
        {/if}
      {/each}
      {#if over.partial}
        <rect
          class="running"
          x={(over.periods.length - 1) * step}
          y={TOP - 26}
          width={step}
          height={height - BOTTOM - TOP + 26}
        />
      {/if}
    </g>
  </svg>
</ScrolledDrawing>

<style>
  .label {
    fill: var(--color-base-content);
    font-size: 12.5px;
  }
  .faint {
    fill: var(--color-neutral);
    font-size: 12px;
  }
  .thread {
    fill: none;
    stroke: var(--gold);
  }
  .fell {
    fill: none;
    stroke: var(--ramp-6);
  }
  .event {
    fill: var(--gold);
    opacity: 0.13;
  }
  .pointed {
    fill: var(--color-base-content);
    opacity: 0.08;
  }
  .running {
    fill: none;
    stroke: var(--color-neutral);
    stroke-dasharray: 3 3;
  }
</style>
