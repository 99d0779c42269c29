<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { ALL_HEIGHT, HEAD_HEIGHT, LEFT_WIDTH, WOVEN_GAP, columnOf, firstColumn, type Fit } from './grid';
  import type { Pointed } from './pointed';

  let { answer, fit, at }: { answer: Schemas['CohortsShape']; fit: Fit; at: Pointed } = $props();
  const column = $derived(at.row < 0 ? at.age : columnOf(answer, at.row, at.age));
  const below = $derived(HEAD_HEIGHT + ALL_HEIGHT + (fit.woven ? WOVEN_GAP : 0));
</script>

<div
  class="around"
  aria-hidden="true"
  style:left="{LEFT_WIDTH + (column - firstColumn(answer)) * fit.cellWidth}px"
  style:top="{at.row < 0 ? HEAD_HEIGHT : below + at.row * fit.rowHeight}px"
  style:width="{fit.cellWidth + 4}px"
  style:height="{(at.row < 0 ? ALL_HEIGHT : fit.rowHeight) + 4}px"
></div>

<style>
  .around {
    position: absolute;
    pointer-events: none;
    margin: -2px;
    border: 2.5px solid var(--gold);
  }
</style>
