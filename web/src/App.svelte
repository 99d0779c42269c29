<script lang="ts">
  import { QueryClient, QueryClientProvider } from '@tanstack/svelte-query';
  import Frame from './frame/Frame.svelte';
  import { STOPS } from './stops/registry';

  const client = new QueryClient({
    defaultOptions: { queries: { retry: false, staleTime: 5_000, refetchOnWindowFocus: true } },
  });
</script>

<QueryClientProvider {client}>
  <Frame stops={STOPS} />
</QueryClientProvider>
