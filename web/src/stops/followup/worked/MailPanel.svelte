<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { answerOf, api, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { count, counted, nounFor } from '$lib/format/figures';
  import { finished, percentOf, stopped, type Job } from '$lib/jobs';
  import { seen } from '$lib/seen.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import type { WorkedList } from '../members';
  import { letters } from './letters.svelte';

  interface Props {
    book: number;
    answer: WorkedList;
    onclose: () => void;
  }
  let { book, answer, onclose }: Props = $props();

  const path = $derived({ book, list: answer.list_id });
  /** Written so far: kept by this browser until it is sent. */
  const draft = $derived(letters.of(book, answer.list_id));
  const { subject, text } = $derived(draft);
  let at = $state(0);
  let preview = $state.raw<{ of: string; found: Schemas['PreviewShape'] }>();
  let job = $state.raw<Job>();
  let mailed = $state.raw<Schemas['MailedShape']>();
  const template = $derived({ subject, text, by: '' });
  const written = $derived(JSON.stringify(template));
  /** What was looked at; none once another word was written. */
  const looked = $derived(preview?.of === written ? preview.found : undefined);
  const message = $derived(looked?.messages[0]);
  const write = (more: Partial<typeof draft>) => letters.keep(book, answer.list_id, { ...draft, ...more });

  const mails = createQuery(() => ({
    queryKey: ['mail', book, answer.list_id, seen.lists],
    queryFn: () => answerOf(api.GET('/api/books/{book}/lists/{list}/mail', { params: { path } })),
  }));
  const looking = useChange(
    async (place: number) => {
      const of = written;
      const params = { path, query: { offset: place, limit: 1 } };
      const reply = api.POST('/api/books/{book}/lists/{list}/mail/preview', { params, body: template });
      return { of, found: await answerOf(reply) };
    },
    ({ of, found }, place) => {
      preview = { of, found };
      at = place;
    },
  );
  const trying = useChange(() =>
    answerOf(api.POST('/api/books/{book}/lists/{list}/mail/dry-run', { params: { path }, body: template })),
  );
  let tried = $state(false);
  const sending = useChange(
    () =>
      finished(
        answerOf(api.POST('/api/books/{book}/lists/{list}/mail', { params: { path }, body: template })),
        (now) => (job = now),
      ),
    (ended) => {
      mailed = ended.mailed ?? undefined;
      preview = undefined;
      letters.keep(book, answer.list_id, undefined);
    },
  );
  const busy = $derived(looking.pending || trying.pending || sending.pending);
  const problem = $derived(looking.problem ?? trying.problem ?? sending.problem);
  const stands = $derived((mails.data?.counts ?? []).filter((each) => each.messages > 0));
  const STATES: Record<Schemas['MailState'], string> = {
    sent: 'sent',
    refused: 'refused by the server',
    sending: 'unknown: everything ended while they were handed over; never sent again',
  };
</script>

<section aria-label="Write to the list" class="grid gap-2">
  <h2 class="text-xl">Write to {answer.list_name}</h2>
  {#if mails.data && !mails.data.set_up}
    <p class="text-sm">
      No mail server is set up, so messages can be looked at and not sent. Set <code>smtp_host</code> and
      <code>smtp_from</code> in settings.toml.
    </p>
  {/if}
  {#each stands as each (each.state)}
    <p class="quiet text-sm">{counted(each.messages, 'message')} {STATES[each.state]}.</p>
  {/each}
  <label class="grid gap-1 text-sm">
    Subject
    <input
      class="input input-sm w-full"
      bind:value={() => subject, (subject) => write({ subject })}
      maxlength="200"
    />
  </label>
  <label class="grid gap-1 text-sm">
    Text
    <textarea
      class="textarea textarea-sm w-full"
      rows="7"
      maxlength="20000"
      bind:value={() => text, (text) => write({ text })}></textarea>
  </label>
  <p class="quiet text-sm">
    A field in braces stands for what each customer has: &#123;name&#125;, &#123;latest_date&#125;,
    &#123;days_since&#125;, &#123;town&#125;, any field of customers. Who has nothing for it gets no message.
  </p>
  {#if problem}<ProblemNote {problem} />{/if}
  <div class="flex flex-wrap gap-2">
    <button class="btn btn-sm" disabled={busy || !subject.trim()} onclick={() => looking.run(0)}
      >Preview</button
    >
    <button
      class="btn btn-sm"
      disabled={busy || !subject.trim() || !mails.data?.set_up}
      onclick={async () => (tried = await trying.run(undefined))}>Dry run</button
    >
    {#if tried}<span class="self-center text-sm text-success">The server takes us; nothing was sent.</span
      >{/if}
  </div>
  {#if preview && !looked}
    <p class="text-sm font-semibold" role="status">
      Changed since the preview: look at it again before it is sent.
    </p>
  {/if}
  {#if looked}
    <p class="text-sm" aria-live="polite">
      <strong>{count(looked.ready)}</strong>
      {nounFor(looked.ready, 'message')} can be sent.
      {#each looked.left_out as { reason, customers } (reason)}
        <span class="quiet">{count(customers)}: {reason}.</span>
      {/each}
    </p>
    {#if message}
      <div class="border-l-2 border-base-300 pl-2 text-sm">
        <p class="quiet">To {message.name}, {message.email}</p>
        {#if message.blank.length > 0}
          <p class="font-semibold text-error">Not sent: nothing for {message.blank.join(', ')}.</p>
        {/if}
        <p class="font-semibold">{message.subject}</p>
        <p class="whitespace-pre-wrap">{message.text}</p>
      </div>
      <p class="flex gap-4 text-sm">
        <button class="word" disabled={busy || at === 0} onclick={() => looking.run(at - 1)}
          >the one before</button
        >
        <span class="quiet">{count(at + 1)} of {count(looked.count)}</span>
        <button class="word" disabled={busy || at + 1 >= looked.count} onclick={() => looking.run(at + 1)}
          >the next</button
        >
      </p>
    {/if}
    <button
      class="btn btn-primary btn-sm justify-self-start"
      disabled={busy || looked.ready === 0 || !mails.data?.set_up}
      onclick={() => sending.run(undefined)}>Send {counted(looked.ready, 'message')}</button
    >
  {/if}
  {#if sending.pending && job}
    <p class="flex items-center gap-3 text-sm" aria-live="polite">
      <progress class="progress w-32" value={percentOf(job)} max="100" aria-label="Messages sent"></progress>
      {count(job.done)} of {count(job.total)}
      <button class="word" onclick={() => job && stopped(job)}>stop</button>
    </p>
  {/if}
  {#if mailed}
    <p class="text-sm text-success" aria-live="polite">
      {counted(mailed.sent, 'message')} sent in all{mailed.refused > 0
        ? `, ${count(mailed.refused)} refused`
        : ''}{mailed.unknown > 0 ? `, ${count(mailed.unknown)} unknown` : ''}. Who was written to is
      contacted.
    </p>
  {/if}
  <p class="text-sm"><button class="word" onclick={onclose}>back to the list</button></p>
</section>
