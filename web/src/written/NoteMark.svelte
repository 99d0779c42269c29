<script lang="ts">
  /** The mark of what has notes, at its upper right edge. `at`: where that corner is, in a drawing; beside a name without. */
  let { at }: { at?: { x: number; y: number } } = $props();
  const SIZE = 7;
  const corner = ({ x, y }: { x: number; y: number }) => `M${x - SIZE} ${y}h${SIZE}v${SIZE}z`;
</script>

{#if at}
  <path class="note" d={corner(at)}><title>has notes</title></path>
{:else}
  <span class="whitespace-nowrap"
    ><svg width={SIZE} height={SIZE} class="mb-1 ml-0.5 inline" aria-hidden="true"
      ><path class="note" d={corner({ x: SIZE, y: 0 })} /></svg
    ><span class="sr-only">has notes</span></span
  >
{/if}

<style>
  .note {
    fill: var(--color-base-content);
    /* a hairline of paper, or the mark drowns in a dark cell */
    stroke: var(--color-base-100);
    stroke-width: 0.8;
  }
</style>
