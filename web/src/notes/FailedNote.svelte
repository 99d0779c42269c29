<script lang="ts">
  import type { Problem } from '$lib/api/client';
  import ProblemNote from './ProblemNote.svelte';

  /** What could not be had, above what was there before; it can be asked for again. */
  interface Props {
    problem: Problem;
    onagain: () => void;
    /** Where the question itself is wrong, a way back to one that is not. */
    onplain?: () => void;
  }
  let { problem, onagain, onplain }: Props = $props();
  const isRefused = $derived(problem.status >= 400 && problem.status < 500 && problem.status !== 409);
</script>

<div class="my-2 grid gap-2">
  <ProblemNote {problem} />
  <p class="flex flex-wrap gap-3">
    {#if !isRefused}<button class="btn btn-sm" onclick={onagain}>Try again</button>{/if}
    {#if onplain && isRefused}<button class="btn btn-outline btn-sm" onclick={onplain}>Reset filters</button
      >{/if}
  </p>
</div>
