<script lang="ts">
  import { onMount } from 'svelte';
  import { address } from '$lib/address.svelte';
  import { commands } from '$lib/commands.svelte';
  import StopLink from './StopLink.svelte';
  import type { Stop } from './stop';

  /** The stops that are not apart, a knot each; the first nine have a key. */
  let { book, stops }: { book: number; stops: readonly Stop[] } = $props();
  const KEYED = 9;

  let nav: HTMLElement;
  // on a narrow page only some knots are seen, and the one where one is must be among them
  $effect(() => {
    void address.stop;
    nav.querySelector('[aria-current]')?.scrollIntoView({ block: 'nearest', inline: 'center' });
  });

  onMount(() => {
    const ends = stops
      .slice(0, KEYED)
      .map((stop, at) => commands.on(String(at + 1), () => address.visit(book, stop.name)));
    return () => ends.forEach((end) => end());
  });
</script>

<!-- on a narrow page the thread is moved along under the hand -->
<nav
  bind:this={nav}
  aria-label="Stops"
  class="thread-of-stops relative order-last w-full min-w-0 overflow-x-auto text-sm not-printed desk:order-none desk:w-auto desk:flex-1"
>
  <ol class="relative mx-auto flex w-max min-w-full justify-around gap-1" class:crowded={stops.length > 6}>
    <li class="thread" aria-hidden="true"></li>
    {#each stops as stop (stop.name)}
      <li>
        <StopLink
          {book}
          {stop}
          look="quiet flex flex-col items-center gap-1 px-1.5 pb-0.5 font-semibold whitespace-nowrap"
        />
      </li>
    {/each}
  </ol>
</nav>

<style>
  .thread {
    position: absolute;
    inset: 11px 0 auto;
    height: 3px;
    background: linear-gradient(90deg, transparent, var(--gold) 6%, var(--gold) 94%, transparent);
  }
  .crowded {
    font-size: 0.8125rem;
    gap: 0;
  }
  .thread-of-stops {
    scrollbar-width: none;
  }
</style>
