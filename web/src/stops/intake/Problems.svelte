<script lang="ts">
  import { takeCsv, type Schemas } from '$lib/api/client';
  import { count } from '$lib/format/figures';

  interface Props {
    groups: Schemas['ProblemGroupShape'][];
    /** Where the rejected rows are taken from as a file. */
    rejectedAt: string;
    fileName: string;
  }
  let { groups, rejectedAt, fileName }: Props = $props();
  const rejected = $derived(groups.some((group) => group.rejected));
</script>

<ul class="grid gap-1.5 text-sm" data-testid="problems">
  {#each groups as group (group.column + group.reason)}
    <li class="border-b border-base-300 pb-1.5 last:border-0">
      <b class:text-error={group.rejected}>{count(group.count)}</b>
      {#if group.column}<span class="font-semibold">{group.column}</span>:{/if}
      {group.reason}
      <span class="quiet"
        >{group.remedy}{group.rejected ? '' : ' It came in all the same.'}
        {#if group.examples.some(Boolean)}<span class="break-words"
            >Such as {group.examples.filter(Boolean).slice(0, 3).join(' · ')}.</span
          >{/if}</span
      >
    </li>
  {/each}
</ul>
{#if rejected}
  <button class="word mt-1 text-sm" onclick={() => takeCsv(rejectedAt, `${fileName} mend.csv`)}
    >take the rejected rows as a file</button
  >
{/if}
