<script lang="ts">
  import { said } from '$lib/format/reader';
  import { createQuery } from '@tanstack/svelte-query';
  import { useQuestion, type AnswerTo } from '$lib/answer.svelte';
  import { counted, money, percent } from '$lib/format/figures';
  import { inUnits } from '$lib/format/units';
  import { asksToCopy, captionHere, copyBelow, setCaption } from '$lib/cells';
  import { goOnHere } from '$lib/focus';
  import { me } from '$lib/me.svelte';
  import { outside } from '$lib/outside.svelte';
  import CopyLink from '$src/download/CopyLink.svelte';
  import DownloadButton from '$src/download/DownloadButton.svelte';
  import KeepList from '$src/lists/KeepList.svelte';
  import FailedNote from '$src/notes/FailedNote.svelte';
  import EvidenceThreads from './EvidenceThreads.svelte';
  import Recount from './Recount.svelte';
  import WatchFigure from './WatchFigure.svelte';
  import PinThis from '$src/briefs/PinThis.svelte';
  import { thingOf } from '$src/written/noted.svelte';
  import Notes from '$src/written/Notes.svelte';
  import { behindOf, fileOf, keepOf, recountOf } from './source';

  interface Props {
    book: number;
    /** What the figure is one of, and its place there with all that was asked. */
    question: string;
    query: object;
    currency: string;
    onclose: () => void;
  }
  let { book, question, query, currency, onclose }: Props = $props();
  const opened = $derived({ book, question, query });
  const thing = $derived(thingOf(query));
  /** Whoever sees it by a link recounts nothing, and takes nothing along. */
  const isInside = outside.link === undefined;
  const behind = useQuestion(() => ({
    name: behindOf(opened),
    book,
    query,
    rows: (found: AnswerTo<'cohorts/behind'>) => found.threads,
  }));
  const head = $derived(behind.answer);
  const decimals = $derived(head?.averaged ? 1 : 0);
  // the database counts once who stands behind it is known, and again when that may have changed
  const recount = createQuery(() => ({
    queryKey: ['recount', opened, head?.revision],
    queryFn: ({ signal }) => recountOf(opened, signal),
    enabled: head !== undefined && !behind.stale && isInside,
  }));
  const value = $derived(head ? inUnits(head.value, head.unit, decimals) : '');
  const beside = $derived(head ? `${head.unit === 'money' ? `${currency} ` : ''}${said(head.beside)}` : '');
  const above = captionHere();
  const caption = () => [...above(), ...(head ? [`${value} ${beside}`, said(head.words)] : [])];
  setCaption(caption);
  const copy = copyBelow(caption);
  let told = $state('');

  async function keyed(event: KeyboardEvent): Promise<void> {
    if (!asksToCopy(event)) return;
    event.preventDefault();
    told = await copy();
  }
  const inSight = (section: HTMLElement) => section.scrollIntoView({ block: 'nearest' });
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<section
  onkeydown={keyed}
  {@attach inSight}
  aria-label="Behind this number"
  class="flex h-full min-h-0 flex-col"
  class:dimmed={behind.stale}
>
  <h2 class="text-xl outline-none" tabindex="-1" {@attach goOnHere}>Behind this number</h2>
  {#if behind.problem}<FailedNote problem={behind.problem} onagain={behind.again} />{/if}
  {#if head}
    <p aria-live="polite">
      <span class="font-serif text-4xl leading-tight font-semibold">{value}</span>
      <span class="quiet font-semibold">{beside}</span>
    </p>
    <p class="mt-1 text-sm">
      {said(head.words)}
      {#if head.low !== null && head.high !== null}
        <span class="quiet">95 % confidence interval {percent(head.low)} to {percent(head.high)} %.</span>
      {/if}
      {#if head.note}<span class="quiet">{said(head.note)}</span>{/if}
    </p>
    {#if head.unusual.length > 0}
      <div class="mt-1 border-l-2 border-error pl-2 text-sm">
        <p class="font-semibold">Check this: what is unusual here</p>
        {#each head.unusual as line, at (at)}<p>{said(line)}</p>{/each}
      </div>
    {/if}
    <p class="quiet mt-1 text-sm">
      {#if head.orders > 0}
        Counted here: {counted(head.orders, 'order')}, {money(head.revenue)}
        {currency}, the ringed knots. The others are the same customers' other orders.
      {:else}
        These customers have no counted order there; knots, if any, are their other orders.
      {/if}
    </p>
    {#if isInside && thing}<div class="mt-1 text-sm"><Notes {book} {thing} /></div>{/if}
    {#if isInside}<Recount recounted={recount.data} unanswered={recount.isError} {currency} />{/if}
    <div class="mt-1 flex min-h-48 flex-1 flex-col [--table-ground:var(--color-base-100)]">
      <EvidenceThreads {book} rows={behind} opened={head} />
    </div>
  {:else if !behind.problem}
    <p class="quiet mt-2" role="status">Looking up who stands behind it…</p>
  {/if}
  {#if head && isInside}
    <div class="mt-2 flex flex-wrap items-baseline gap-x-4 border-t border-base-300 pt-2">
      {#if head.customers > 0}
        <KeepList
          customers={head.customers}
          name={head.list_name}
          keep={(name) => keepOf(opened, name)}
          instead={{ open: null }}
        />
      {/if}
      <span class="text-sm"><PinThis {book} figure={query} /></span>
      {#if me.may('import and correct')}
        <WatchFigure {book} {question} {query} opened={head} {currency} />
      {/if}
    </div>
  {/if}
  <div class="mt-2 flex flex-wrap gap-2 not-printed">
    {#if isInside}
      <DownloadButton file={fileOf(opened)} look="btn btn-sm btn-primary" disabled={!head?.orders}
        >Download these orders</DownloadButton
      >
    {/if}
    <button class="btn btn-sm" onclick={onclose}>Close</button>
    {#if isInside}<span class="self-center text-sm"><CopyLink /></span>{/if}
    <span class="sr-only" aria-live="polite">{told}</span>
  </div>
</section>
