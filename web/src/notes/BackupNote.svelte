<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { answerOf, api } from '$lib/api/client';
  import { moment } from '$lib/format/dates';

  /** When the last backup was made; where only old ones are spoken of, nothing about one that is not. */
  let { onlyOld = false }: { onlyOld?: boolean } = $props();

  const backup = createQuery(() => ({
    queryKey: ['backup'],
    queryFn: () => answerOf(api.GET('/api/health/backup')),
    refetchInterval: 3_600_000,
  }));
</script>

{#if backup.data && (backup.data.is_old || !onlyOld)}
  {@const last = backup.data}
  <p class={['mt-2 text-sm', last.is_old ? 'text-error' : 'quiet']} data-testid="backup">
    {last.made_at ? `The last backup was made ${moment(last.made_at)}.` : 'No backup was made yet.'}
    {#if last.is_old}
      The daily one is overdue: see the log of the server.
    {:else if !last.is_daily}
      <code>goldthread backup</code> makes one.
    {/if}
  </p>
{/if}
