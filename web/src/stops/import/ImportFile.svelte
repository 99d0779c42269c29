<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { api, answerOf } from '$lib/api/client';
  import OwnAttributes from './OwnAttributes.svelte';
  import DropPlace from './DropPlace.svelte';
  import FileTable from './FileTable.svelte';
  import Kinds from './Kinds.svelte';
  import Report from './Report.svelte';
  import SourceStrip from './SourceStrip.svelte';
  import StatusWords from './StatusWords.svelte';
  import type { Intake } from './importing.svelte';

  let { intake, book }: { intake: Intake; book: number } = $props();
  const sources = createQuery(() => ({
    queryKey: ['sources', book],
    queryFn: () => answerOf(api.GET('/api/books/{book}/sources', { params: { path: { book } } })),
  }));
</script>

{#if intake.report}<Report report={intake.report} />{/if}
{#if intake.first}
  {#key intake.first}
    <FileTable waiting={intake.first} />
    <StatusWords waiting={intake.first} />
  {/key}
{:else}
  <DropPlace {intake} />
{/if}
{#if sources.data && sources.data.sources.length > 0}
  <SourceStrip sources={sources.data} tall={!intake.first && !intake.report} />
{:else if sources.data && !intake.first}
  <Kinds />
{/if}
{#if !intake.first}<OwnAttributes {book} />{/if}
