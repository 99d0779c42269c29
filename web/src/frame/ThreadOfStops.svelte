<script lang="ts">
  import { STOPS, address, addressOf, type Stop } from '$lib/address.svelte';
  import { isTyping } from '$lib/keys';

  let { book, stop }: { book: number; stop: Stop } = $props();

  function follow(event: MouseEvent, target: Stop): void {
    if (event.metaKey || event.ctrlKey || event.shiftKey) return;
    event.preventDefault();
    address.visit(book, target);
  }

  function pressed(event: KeyboardEvent): void {
    const target = STOPS[Number(event.key) - 1];
    if (target && !isTyping(event)) address.visit(book, target.stop);
  }
</script>

<svelte:window onkeydown={pressed} />

<nav aria-label="Stops" class="relative max-w-xl min-w-72 flex-1 text-sm not-printed lg:text-[0.9375rem]">
  <div class="thread absolute inset-x-0 top-[11px] h-[3px]"></div>
  <ol class="relative flex justify-around">
    {#each STOPS as each (each.stop)}
      <li>
        <a
          href={addressOf(book, each.stop, address.reading)}
          aria-current={each.stop === stop ? 'page' : undefined}
          onclick={(event) => follow(event, each.stop)}
          class="group flex flex-col items-center gap-1 px-1 font-semibold whitespace-nowrap"
          class:quiet={each.stop !== stop}
        >
          <span class="knot" class:here={each.stop === stop}></span>
          {each.title}
        </a>
      </li>
    {/each}
  </ol>
</nav>

<style>
  .thread {
    background: linear-gradient(90deg, transparent, var(--gold) 8%, var(--gold) 92%, transparent);
  }
  .knot {
    display: block;
    width: 16px;
    height: 16px;
    margin: 4px 0 2px;
    border-radius: 50%;
    border: 2px solid var(--gold);
    background: var(--color-base-200);
  }
  .knot.here {
    width: 22px;
    height: 22px;
    margin: 1px 0 -1px;
    background: var(--gold);
  }
</style>
