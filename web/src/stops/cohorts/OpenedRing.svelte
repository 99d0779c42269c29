<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { ALL_HEIGHT, HEAD_HEIGHT, LEFT_WIDTH, WOVEN_GAP, columnOf, firstColumn, type Fit } from './grid';
  import type { Pointed } from './pointed';

  let { answer, fit, at }: { answer: Schemas['CohortsShape']; fit: Fit; at: Pointed } = $props();
  const column = $derived(at.row < 0 ? at.age : columnOf(answer, at.row, at.age));
  const below = $derived(HEAD_HEIGHT + ALL_HEIGHT + (fit.woven ? WOVEN_GAP : 0));
</script>

<div
  class="ring"
  aria-hidden="true"
  style:left="{LEFT_WIDTH + (column - firstColumn(answer)) * fit.cellWidth}px"
  style:top="{at.row < 0 ? HEAD_HEIGHT : below + at.row * fit.rowHeight}px"
  style:width="{fit.cellWidth}px"
  style:height="{at.row < 0 ? ALL_HEIGHT : fit.rowHeight}px"
></div>

<style>
  .ring {
    position: absolute;
    pointer-events: none;
    border: 3px solid var(--gold);
  }
</style>
