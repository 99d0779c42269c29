<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { askOnce } from '$lib/answer.svelte';
  import { problemOf, type Schemas } from '$lib/api/client';
  import { outside } from '$lib/outside.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import FindingBody from './FindingBody.svelte';

  /** A brief as a link shows it: nothing is chosen, and nothing leads elsewhere. */
  let { shared }: { shared: Schemas['SharedShape'] } = $props();
  const brief = createQuery(() => ({
    queryKey: ['shared brief', outside.link],
    // a link answers what it was made for
    queryFn: ({ signal }) =>
      askOnce('brief', shared.book.id, {}, signal) as Promise<Schemas['OpenedBriefShape']>,
  }));
</script>

<h1 class="text-[1.7rem] leading-9">{brief.data?.brief.name ?? shared.name}</h1>
{#if brief.error}
  <FailedNote problem={problemOf(brief.error)} onagain={() => void brief.refetch()} />
{/if}
<ol class="mt-3 min-h-0 flex-1 desk:overflow-y-auto">
  {#each brief.data?.findings ?? [] as finding (finding.id)}
    <li class="border-t border-base-300 py-4" data-testid="finding">
      <FindingBody {finding} picture={finding.picture} there={null} />
    </li>
  {/each}
</ol>
{#if !brief.data && !brief.error}<p class="quiet" role="status">Asking for what is pinned…</p>{/if}
