<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count } from '$lib/format/figures';

  let { problems, total }: { problems: Schemas['RowProblemShape'][]; total: number } = $props();
</script>

<div class="max-h-72 overflow-y-auto">
  <table class="w-full text-left text-sm">
    <thead>
      <tr class="quiet"
        ><th class="w-14 font-normal">Row</th><th class="font-normal">Column</th><th class="font-normal"
          >Value</th
        ><th class="font-normal">Why, and what to do</th></tr
      >
    </thead>
    <tbody>
      {#each problems as problem, place (place)}
        <tr class="border-t border-base-300 align-top">
          <td class="py-1">{count(problem.row)}</td>
          <td class="py-1 pr-3">{problem.column || '—'}</td>
          <td class="max-w-48 truncate py-1 pr-3 font-semibold" class:text-error={problem.rejected}
            >{problem.value || 'empty'}</td
          >
          <td class="py-1"
            >{problem.reason}
            <span class="quiet"
              >{problem.remedy}{problem.rejected ? '' : ' It was imported all the same.'}</span
            ></td
          >
        </tr>
      {/each}
    </tbody>
  </table>
</div>
{#if total > problems.length}
  <p class="quiet mt-1 text-sm">
    The first {count(problems.length)} of {count(total)}; all of them stand in the delivery log.
  </p>
{/if}
