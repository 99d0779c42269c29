<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { answerOf, api } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { moment } from '$lib/format/dates';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import type { Intake } from './importing.svelte';

  /** Files that came by themselves and wait for somebody's answer. */
  let { intake }: { intake: Intake } = $props();
  const client = useQueryClient();
  const book = $derived(intake.book);
  const key = $derived(['waiting', book]);
  const waiting = createQuery(() => ({
    queryKey: key,
    queryFn: () => answerOf(api.GET('/api/books/{book}/waiting', { params: { path: { book } } })),
  }));
  const leaveOut = useChange(
    (waiting: number) =>
      answerOf(api.DELETE('/api/books/{book}/waiting/{waiting}', { params: { path: { book, waiting } } })),
    (now) => client.setQueryData(key, now),
  );
</script>

{#if waiting.data && waiting.data.files.length > 0}
  <section class="card card-border block shrink-0 bg-base-100 p-4" aria-label="Files that wait">
    <h2 class="text-lg">Came by itself, and waits for your answer</h2>
    {#if leaveOut.problem}<ProblemNote problem={leaveOut.problem} />{/if}
    <ul class="mt-2 grid gap-2">
      {#each waiting.data.files as file (file.id)}
        <li class="border-t border-base-300 pt-2">
          <p>
            <b>{file.name}</b> of {file.source} <span class="quiet">since {moment(file.arrived_at)}</span>
          </p>
          <p class="text-error">{file.why}</p>
          <p class="mt-1 flex gap-4">
            <button
              class="btn btn-primary btn-sm"
              disabled={intake.sending !== ''}
              onclick={() => void intake.lookAt(file.id, file.name)}>Look at it</button
            >
            <button class="word text-sm" disabled={leaveOut.pending} onclick={() => leaveOut.run(file.id)}
              >leave it out</button
            >
          </p>
        </li>
      {/each}
    </ul>
  </section>
{/if}
