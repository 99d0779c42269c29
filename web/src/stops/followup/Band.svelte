<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, percent } from '$lib/format/figures';
  import { NAMES, stretches, TONES, type Stands } from './standings';

  interface Props {
    standings: Schemas['StandsShape'][];
    /** The standings that the list is made of. */
    chosen?: readonly Stands[];
    opened?: string | undefined;
    height?: number;
    /** Whether stretches say who they are; a small band is named by its row. */
    named?: boolean;
    label: string;
    onopen: (stands: Stands) => void;
  }
  let { standings, chosen = [], opened, height = 40, named = true, label, onopen }: Props = $props();

  const LETTER = 7.4;
  let width = $state(0);
  const customers = $derived(standings.map((each) => each.customers));
  const whole = $derived(customers.reduce((sum, each) => sum + each, 0));
  const parts = $derived(stretches(customers, width));
  const said = (stands: Stands, there: number) => `${count(there)} ${NAMES[stands]}`;
  const fits = (text: string, room: number) => text.length * LETTER + 16 < room;
</script>

<div
  class="relative w-full"
  style:height="{height}px"
  bind:clientWidth={width}
  role="group"
  aria-label={label}
>
  {#each parts as part (part.stands)}
    {@const text = said(part.stands, part.customers)}
    {@const words = `${text}, ${percent(part.customers / whole)} %`}
    <button
      type="button"
      class={['stretch', `ramp-${TONES[part.stands]}`]}
      class:woven={part.stands === 'never_ordered' || part.stands === 'none_counted'}
      class:listed={chosen.includes(part.stands)}
      class:opened={opened === part.stands}
      style:left="{part.x}px"
      style:width="{part.width}px"
      aria-label={words}
      title={words}
      onclick={() => onopen(part.stands)}
      ><span class="said"
        >{#if named && fits(text, part.width)}{text}{:else if fits(count(part.customers), part.width)}{count(
            part.customers,
          )}{/if}</span
      ></button
    >
  {/each}
</div>

<style>
  .stretch {
    position: absolute;
    top: 0;
    bottom: 0;
    overflow: hidden;
    border-right: 2px solid var(--color-base-200);
    font-weight: 600;
    font-size: 13.5px;
    text-align: left;
    white-space: nowrap;
    cursor: pointer;
  }
  .said {
    padding-left: 8px;
  }
  .stretch:last-child {
    border-right: 0;
  }
  /* threads across the cloth: who has no counted order is told apart without colour too */
  .woven {
    background-image: repeating-linear-gradient(90deg, transparent 0 5px, var(--ramp-3) 5px 6px);
    text-shadow:
      0 0 3px var(--ramp-1),
      0 0 3px var(--ramp-1),
      0 0 3px var(--ramp-1);
  }
  .listed {
    box-shadow: inset 0 -4px 0 var(--color-base-content);
  }
  .stretch:hover {
    outline: 1px solid var(--color-base-content);
  }
  .opened {
    z-index: 1;
    outline: 2px solid var(--color-base-content) !important;
    outline-offset: 1px;
  }
</style>
