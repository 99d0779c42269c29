<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, percent } from '$lib/format/figures';

  /** Revenue as one band: woven from the largest customers on, with a mark at each share of them. */
  interface Props {
    answer: Schemas['TopCustomersShape'];
    opened: string | undefined;
    onopen: (top: string) => void;
  }
  let { answer, opened, onopen }: Props = $props();
  const TONES = [9, 7, 6, 5, 3];
  const tops = $derived(answer.tops.filter((each) => each.top !== 'half' && each.share !== null));
  const parts = $derived(
    tops.map((each, at) => {
      const before = at === 0 ? 0 : (tops[at - 1]?.share ?? 0);
      return { ...each, tone: TONES[at] ?? 2, width: (each.share ?? 0) - before };
    }),
  );
</script>

{#if parts.length > 0}
  <div class="pt-1 pb-2">
    <div
      class="flex h-9 w-full overflow-hidden"
      role="img"
      aria-label="Share of revenue by the largest customers; the same figures stand below"
    >
      {#each parts as part (part.top)}
        <!-- a part can be a hair wide: the figures below open the same, by keys too -->
        <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_static_element_interactions -->
        <span
          class="part"
          class:ringed={opened === part.top}
          style:width="{100 * part.width}%"
          style:background="var(--ramp-{part.tone})"
          title="The top {part.top} %, {count(part.customers)} customers, brought {percent(
            part.share,
            1,
          )} % of revenue"
          onclick={() => onopen(part.top)}
        ></span>
      {/each}
      <span class="flex-1" style:background="var(--ramp-1)"></span>
    </div>
    <div class="mt-1 flex flex-wrap gap-x-5 gap-y-1 text-sm">
      {#each parts as part (part.top)}
        <button class="hit hover:underline" onclick={() => onopen(part.top)}
          ><span class="quiet">top {part.top} %:</span>
          <span class="font-semibold">{percent(part.share, 1)} %</span></button
        >
      {/each}
      <span class="quiet">of revenue, the largest first</span>
    </div>
  </div>
{/if}

<style>
  .part {
    cursor: pointer;
    border-right: 1px solid var(--color-base-100);
  }
  .ringed {
    outline: 2px solid var(--color-base-content);
    outline-offset: -2px;
    box-shadow: inset 0 0 0 3px var(--color-base-100);
  }
</style>
