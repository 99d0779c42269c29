<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { useNoted } from '$src/written/noted.svelte';
  import NoteMark from '$src/written/NoteMark.svelte';
  import {
    HEAD_HEIGHT,
    LABEL_WIDTH,
    LEFT_WIDTH,
    columnCount,
    columnOf,
    firstColumn,
    type Fit,
  } from './gridLayout';

  let { answer, fit }: { answer: Schemas['CohortsShape']; fit: Fit } = $props();
  const noted = useNoted();
  const corners = $derived(
    answer.cohorts.flatMap(({ cohort, values }, row) => {
      const y = HEAD_HEIGHT + row * fit.rowHeight;
      const ages = [...values.keys()].filter((age) => noted.has('cell', `${cohort}/${age}`));
      const columns = ages.map((age) => columnOf(answer, row, age) - firstColumn(answer));
      return [
        ...(noted.has('cohort', cohort) ? [{ x: LABEL_WIDTH, y }] : []),
        ...columns
          .filter((column) => column >= 0)
          .map((column) => ({ x: LEFT_WIDTH + (column + 1) * fit.cellWidth, y })),
      ];
    }),
  );
</script>

{#if corners.length > 0}
  <svg
    class="pointer-events-none absolute top-0 left-0"
    width={LEFT_WIDTH + columnCount(answer) * fit.cellWidth}
    height={HEAD_HEIGHT + answer.cohorts.length * fit.rowHeight}
    role="img"
    aria-label="Marks of notes"
  >
    {#each corners as at (`${at.x} ${at.y}`)}<NoteMark {at} />{/each}
  </svg>
{/if}
