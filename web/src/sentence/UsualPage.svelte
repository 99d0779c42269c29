<script lang="ts">
  import { createQuery, useQueryClient } from '@tanstack/svelte-query';
  import { answerOf, api, problemOf, type Schemas } from '$lib/api/client';
  import { useChange } from '$lib/change.svelte';
  import { moment } from '$lib/format/dates';
  import { me } from '$lib/me.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import ProblemNote from '$src/notes/ProblemNote.svelte';
  import Sentence from './Sentence.svelte';

  /** What is in force where a question says nothing else. */
  let { book }: { book: Schemas['BookShape'] } = $props();
  const client = useQueryClient();
  const path = $derived({ book: book.id });
  const key = $derived(['usual', book.id]);
  const mayDecide = $derived(me.may('decide about the book'));
  const usual = createQuery(() => ({
    queryKey: key,
    queryFn: () => answerOf(api.GET('/api/books/{book}/usual', { params: { path } })),
  }));
  const say = useChange(
    (body: Schemas['UsualBody']) => answerOf(api.PUT('/api/books/{book}/usual', { params: { path }, body })),
    (now) => client.setQueryData(key, now),
  );

  /** One setting is said, or taken back by saying nothing; the others stay. */
  function chosen(name: string, values: string[]): void {
    const now = usual.data?.now;
    if (!now) return;
    const value = name === 'status' ? values.filter(Boolean) : (values[0] ?? '');
    const isNullable = ['lapse_by', 'small', 'fiscal_month', 'week_begins'].includes(name);
    void say.run({ ...now, [name]: isNullable ? value || null : value });
  }
</script>

<div class="mx-auto grid w-full max-w-3xl gap-5 pt-2 pb-8">
  <div>
    <h1 class="text-2xl">Usual settings of {book.name}</h1>
    <p class="quiet">
      Said once by an owner of the book. They hold wherever a question, a saved view or a letter says nothing
      else, and are marked <em>usual</em> there. What was sent already stays as it was.
    </p>
  </div>
  {#if usual.error}
    <FailedNote problem={problemOf(usual.error)} onagain={() => void usual.refetch()} />
  {/if}
  {#if say.problem}<ProblemNote problem={say.problem} />{/if}
  {#if usual.data}
    <p class="sentence font-serif text-[1.3rem] leading-9" class:dimmed={say.pending} data-testid="usual">
      <Sentence
        parts={usual.data.sentence}
        controls={mayDecide ? usual.data.controls : []}
        onchoose={chosen}
      />
    </p>
    {#if usual.data.now.margin === ''}
      <p class="text-sm">
        While the gross margin is not set there is no profit and no customer lifetime value: revenue is shown
        in their place. One that changed is typed as <kbd>42,2025-01=40</kbd>.
      </p>
    {/if}
    {#if !mayDecide}<p class="quiet text-sm">An owner of the book can change them.</p>{/if}
    {#if usual.data.changes.length > 0}
      <section>
        <h2 class="text-lg">Who said what</h2>
        <ul class="grid gap-2" data-testid="changes">
          {#each usual.data.changes as change (change.made_at)}
            <li class="border-t border-base-300 pt-2">
              <span class="quiet text-sm"
                >{moment(change.made_at)}{change.made_by ? `, ${change.made_by}` : ''}</span
              ><br />{change.words.join('; ') || 'nothing usual'}
            </li>
          {/each}
        </ul>
      </section>
    {/if}
  {/if}
</div>
