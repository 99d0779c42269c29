<script lang="ts">
  import { QueryClient, QueryClientProvider } from '@tanstack/svelte-query';
  import Frame from './frame/Frame.svelte';

  const client = new QueryClient({
    defaultOptions: { queries: { retry: false, staleTime: 5_000, refetchOnWindowFocus: true } },
  });
</script>

<QueryClientProvider {client}>
  <Frame />
</QueryClientProvider>
