<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count } from '$lib/format/figures';
  import DownloadButton from '$src/download/DownloadButton.svelte';

  interface Props {
    groups: Schemas['ProblemGroupShape'][];
    /** Where the rejected rows are taken from as a file. */
    rejectedAt: string;
  }
  let { groups, rejectedAt }: Props = $props();
  const rejected = $derived(groups.some((group) => group.rejected));
</script>

<ul class="grid gap-1.5 text-sm" data-testid="problems">
  {#each groups as group, at (at)}
    <li class="border-b border-base-300 pb-1.5 last:border-0">
      <b class:text-error={group.rejected}>{count(group.count)}</b>
      {#if group.column}<span class="font-semibold">{group.column}</span>:{/if}
      {group.reason}
      <span class="quiet"
        >{group.remedy}{group.rejected ? '' : ' It was imported all the same.'}
        {#if group.examples.some(Boolean)}<span class="break-words"
            >Such as {group.examples
              .filter(Boolean)
              .slice(0, 3)
              .map((example) => `“${example}”`)
              .join(', ')}.</span
          >{/if}</span
      >
    </li>
  {/each}
</ul>
{#if rejected}
  <p class="mt-1 text-sm"><DownloadButton file={rejectedAt}>download the rejected rows</DownloadButton></p>
{/if}
