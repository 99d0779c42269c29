<script lang="ts">
  import { QueryClient, QueryClientProvider } from '@tanstack/svelte-query';
  import Frame from './frame/Frame.svelte';
  import { outside } from './lib/outside.svelte';
  import { STOPS } from './stops/registry';

  const client = new QueryClient({
    defaultOptions: { queries: { retry: false, staleTime: 5_000, refetchOnWindowFocus: true } },
  });
</script>

<QueryClientProvider {client}>
  {#if outside.link === undefined}
    <Frame stops={STOPS} />
  {:else}
    {#await import('./frame/SharedPage.svelte') then { default: SharedPage }}
      <SharedPage link={outside.link} stops={STOPS} />
    {/await}
  {/if}
</QueryClientProvider>
