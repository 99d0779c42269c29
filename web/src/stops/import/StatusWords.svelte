<script lang="ts">
  import { count } from '$lib/format/figures';
  import WordMenu from '$src/menus/WordMenu.svelte';
  import type { WaitingFile } from './waitingFile.svelte';
  import { STATUSES, type OrderStatus } from './meanings';

  let { waiting }: { waiting: WaitingFile } = $props();
  const options = STATUSES.map((value) => ({ value: value, label: value }));
</script>

{#if waiting.statuses.length > 0}
  <section aria-label="What the statuses mean" class="shrink-0">
    <ul class="flex flex-wrap gap-x-6 gap-y-1.5">
      <li class="quiet">The file's statuses count as</li>
      {#each waiting.statuses as known (known.word)}
        <li>
          <span class="font-semibold">{known.word}</span>
          <span class="quiet text-sm">{count(known.count)}</span>
          <span class:text-error={known.status === null}>
            <WordMenu
              text={known.status ?? 'say what it means'}
              title="What “{known.word}” means"
              chosen={known.status ? [known.status] : []}
              {options}
              onchoose={([status]) => waiting.say({ status: [known.word, status as OrderStatus] })}
            />
          </span>
        </li>
      {/each}
    </ul>
  </section>
{/if}
