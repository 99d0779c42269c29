<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { HEAD_HEIGHT, LEFT_WIDTH, columnOf, firstColumn, type Fit } from './gridLayout';
  import type { Pointed } from './pointed';

  let { answer, fit, at }: { answer: Schemas['CohortsShape']; fit: Fit; at: Pointed } = $props();
  const column = $derived(columnOf(answer, at.row, at.age));
</script>

<div
  class="around"
  aria-hidden="true"
  style:left="{LEFT_WIDTH + (column - firstColumn(answer)) * fit.cellWidth}px"
  style:top="{HEAD_HEIGHT + at.row * fit.rowHeight}px"
  style:width="{fit.cellWidth + 4}px"
  style:height="{fit.rowHeight + 4}px"
></div>

<style>
  .around {
    position: absolute;
    pointer-events: none;
    margin: -2px;
    border: 2.5px solid var(--color-base-content);
    /* a hairline of paper, or the ring drowns in a dark cell */
    box-shadow: inset 0 0 0 1px var(--color-base-100);
  }
</style>
