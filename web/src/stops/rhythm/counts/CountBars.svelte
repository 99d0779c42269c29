<script lang="ts">
  import { count, counted, percent } from '$lib/format/figures';
  import { extentOf, valueScale } from '$src/charts/scales';
  import { countWords, groupName, ladderWords, shareOf } from './counts';
  import type { Counts } from './liveWindow.svelte';

  interface Props {
    answer: Counts;
    /** The groups that are opened. */
    chosen: string[];
    width: number;
    height: number;
    onchoose: (orders: string) => void;
    /** How long until the next order after this one. */
    onstep: (step: number) => void;
  }
  let { answer, chosen, width, height, onchoose, onstep }: Props = $props();

  const LEFT = 8;
  const TOP = 24;
  const BOTTOM = 66;
  const groups = $derived(answer.groups);
  const step = $derived((width - 2 * LEFT) / Math.max(1, groups.length));
  const bar = $derived(Math.min(110, step * 0.76));
  const floor = $derived(height - BOTTOM);
  const compared = $derived(answer.rest.length > 0);
  /** Two lists of different sizes are compared by their shares. */
  const value = (at: number, ofRest = false) => {
    const of = ofRest ? answer.rest : groups;
    return compared ? shareOf(of, at) : (of[at]?.customers ?? 0);
  };
  const y = $derived(
    valueScale(
      [floor, TOP],
      extentOf(groups.flatMap((_, at) => [value(at), compared ? value(at, true) : 0])),
    ),
  );
  const said = (at: number, ofRest = false) =>
    compared ? `${percent(value(at, ofRest))} %` : count(value(at, ofRest));
  const middle = (at: number) => LEFT + (at + 0.5) * step;
</script>

<div
  class="relative"
  style:width="{width}px"
  style:height="{height}px"
  role="group"
  aria-label="Customers by number of orders"
>
  <svg {width} {height} aria-hidden="true">
    <line class="floor" x1={LEFT} x2={width - LEFT} y1={floor} y2={floor} />
    {#each groups as group, at (group.orders)}
      {@const on = chosen.includes(group.orders)}
      {@const half = compared ? bar / 2 - 1 : bar}
      <g>
        <rect
          class={[group.orders === '0' ? 'none' : on ? 'on' : 'bar', chosen.length > 0 && !on && 'faint']}
          x={middle(at) - bar / 2}
          y={y(value(at))}
          width={half}
          height={floor - y(value(at))}
        />
        {#if compared}
          <rect
            class="rest"
            x={middle(at) + 1}
            y={y(value(at, true))}
            width={half}
            height={floor - y(value(at, true))}
          />
          <text class="quietly" x={middle(at) + bar / 4} y={y(value(at, true)) - 5} text-anchor="middle"
            >{said(at, true)}</text
          >
        {/if}
        {#if on}
          <rect
            class="ring"
            x={middle(at) - bar / 2 - 4}
            y={y(value(at)) - 4}
            width={bar + 8}
            height={floor - y(value(at)) + 8}
          />
        {/if}
        <text
          class="value"
          x={compared ? middle(at) - bar / 4 : middle(at)}
          y={y(value(at)) - (on ? 10 : 7)}
          text-anchor="middle">{said(at)}</text
        >
        <text class="name" x={middle(at)} y={floor + 17} text-anchor="middle"
          >{groupName(group.orders, step > 70)}</text
        >
      </g>
    {/each}
  </svg>
  {#each groups as group, at (group.orders)}
    <button
      type="button"
      class="group"
      aria-pressed={chosen.includes(group.orders)}
      aria-label={countWords(answer, at)}
      title={countWords(answer, at)}
      style:left="{middle(at) - step / 2}px"
      style:width="{step}px"
      style:height="{floor + 22}px"
      onclick={() => onchoose(group.orders)}
    ></button>
    {#if group.reached && group.went_on !== null && at < groups.length - 1}
      <button
        type="button"
        class="rung"
        style:left="{middle(at) + step / 2 - 26}px"
        style:top="{floor + 26}px"
        title={ladderWords(group)}
        aria-label={ladderWords(group)}
        onclick={() => onstep(Number.parseInt(group.orders))}
      >
        <span class="tick" aria-hidden="true"></span>{percent(group.went_on / group.reached)} %
      </button>
    {/if}
  {/each}
  <p class="quiet absolute bottom-0 left-2 text-xs">
    Repeat-purchase rate: of those who ever placed so many, the share who placed one more, whenever. The
    latest of them may still.{#if compared}
      Bars are shares of {counted(answer.with_orders, 'customer')} on the list; hatched, of everybody else.{/if}
  </p>
</div>

<style>
  .floor {
    stroke: var(--color-base-300);
  }
  .bar {
    fill: var(--ramp-6);
  }
  .on {
    fill: var(--ramp-8);
  }
  .none {
    fill: var(--color-base-300);
  }
  .rest {
    fill: var(--ramp-3);
  }
  .faint {
    opacity: 0.72;
  }
  .ring {
    fill: none;
    stroke: var(--color-base-content);
    stroke-width: 2;
  }
  .value {
    fill: var(--color-base-content);
    font-weight: 600;
    font-size: 14px;
  }
  .quietly,
  .name {
    fill: var(--color-neutral);
    font-size: 13px;
  }
  .group {
    position: absolute;
    top: 0;
    cursor: pointer;
  }
  .group:hover {
    background: color-mix(in oklab, var(--color-base-content) 5%, transparent);
  }
  .rung {
    position: absolute;
    width: 52px;
    min-height: 24px;
    font-size: 13px;
    font-weight: 600;
    text-align: center;
    line-height: 1.1;
    cursor: pointer;
  }
  .rung:hover {
    text-decoration: underline;
  }
  .tick {
    display: block;
    width: 18px;
    height: 2px;
    margin: 0 auto 3px;
    background: var(--gold);
  }
</style>
