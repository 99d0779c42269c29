<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { answerOf, api } from '$lib/api/client';
  import { moment } from '$lib/format/dates';
  import { ROOT } from '$lib/root';

  let { book }: { book: number } = $props();
  const SHOWN = 20;
  const letters = createQuery(() => ({
    queryKey: ['letters', book],
    queryFn: () =>
      answerOf(api.GET('/api/books/{book}/letters', { params: { path: { book }, query: { limit: SHOWN } } })),
  }));
  const taken = (addresses: Record<string, string>) =>
    Object.values(addresses).filter((each) => each === 'sent');
  const others = (addresses: Record<string, string>) =>
    Object.entries(addresses).filter(([, became]) => became !== 'sent');
</script>

{#if letters.data && letters.data.total > 0}
  <section class="grid gap-2" aria-labelledby="sent">
    <h2 class="text-lg" id="sent">Letters that were sent, as they were</h2>
    <ul class="grid gap-1 text-sm">
      {#each letters.data.letters as letter (letter.id)}
        <li class="border-t border-base-300 pt-1">
          <a class="font-semibold hover:underline" href="{ROOT}/api/books/{book}/letters/{letter.id}" download
            >{letter.subject}</a
          >
          <span class="quiet"
            >{moment(letter.made_at)}, to {taken(letter.addresses).length} of {Object.keys(letter.addresses)
              .length}</span
          >
          {#each others(letter.addresses) as [address, became] (address)}
            <span class="text-error">{address}: {became || 'not yet sent'}</span>
          {/each}
        </li>
      {/each}
    </ul>
    {#if letters.data.total > SHOWN}<p class="quiet text-sm">
        and {letters.data.total - SHOWN} earlier ones.
      </p>{/if}
  </section>
{/if}
