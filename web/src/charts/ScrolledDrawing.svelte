<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    label: string;
    width: number;
    /** How wide the drawing is; beyond its room it is scrolled. */
    wide: number;
    children: Snippet;
  }
  let { label, width, wide, children }: Props = $props();
</script>

<!-- a scrolled drawing must be reachable by keyboard; the same figures stand in a table -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  class="max-w-full overflow-x-auto overflow-y-hidden"
  style:width="{width}px"
  tabindex={wide > width ? 0 : undefined}
  role={wide > width ? 'region' : undefined}
  aria-label={wide > width ? label : undefined}
>
  {@render children()}
</div>
