<script lang="ts">
  import { counted } from '$lib/format/figures';
  import WordMenu from '$src/menus/WordMenu.svelte';
  import type { WaitingFile } from './waitingFile.svelte';
  import { KEPT_WORDS, MEANING_WORDS, type KeptAt, type Meaning } from './meanings';

  let { waiting }: { waiting: WaitingFile } = $props();
  const file = $derived(waiting.file);
  /** Needed columns first, then others with a meaning, then those that are kept beside; each with its place in the rows. */
  const columns = $derived.by(() => {
    const order = [...file.needed, ...file.optional];
    const rank = (column: string) => {
      const meaning = waiting.meaningOf(column);
      return meaning ? order.indexOf(meaning) : order.length;
    };
    return file.header
      .map((column, at) => ({ column, at }))
      .sort((one, other) => rank(one.column) - rank(other.column) || one.at - other.at);
  });

  const NONE = 'none';
  const KEPT = 'kept ';
  const LEVELS: KeptAt[] = ['customer', 'order', 'line', 'nowhere'];
  const ofOrders = $derived(file.kind === 'orders' || file.kind === 'lines');
  const unread = $derived(file.kind === 'customers' ? 'kept as an attribute' : 'not read');
  const meanings = $derived(
    [...file.needed, ...file.optional].map((meaning) => ({ value: meaning, label: MEANING_WORDS[meaning] })),
  );
  const places = $derived(
    ofOrders
      ? LEVELS.filter((at) => at !== 'line' || file.kind === 'lines').map((at) => ({
          value: KEPT + at,
          label: KEPT_WORDS[at],
        }))
      : [{ value: NONE, label: unread }],
  );

  function choose(column: string, value: string): void {
    if (value.startsWith(KEPT)) void waiting.keep(column, value.slice(KEPT.length) as KeptAt);
    else void waiting.setMeaning(column, value === NONE ? null : (value as Meaning));
  }

  /** What was found of a further column: how many values it has, and who has several. */
  function facts({ found, at }: NonNullable<ReturnType<WaitingFile['furtherOf']>>): string {
    const about = found.about ? 'about ' : '';
    const several =
      at === 'line'
        ? found.orders_several > 0 && `${about}${counted(found.orders_several, 'order')} with several`
        : found.customers_several > 0 &&
          `${about}${counted(found.customers_several, 'customer')} with several`;
    return [`${about}${counted(found.values, 'value')}`, several, at === found.proposed && found.why]
      .filter(Boolean)
      .join('; ');
  }
  function isKept(column: string): boolean {
    const further = waiting.furtherOf(column);
    return waiting.meaningOf(column) !== null || (further !== null && further.at !== 'nowhere');
  }

  /** Cells of the rows shown that keep their row out, or need checking. */
  const wrong = $derived(
    new Map((waiting.tried?.problems ?? []).map((problem) => [`${problem.row} ${problem.column}`, problem])),
  );
  const shown = $derived(
    file.first_numbers.flatMap((row) => file.header.flatMap((column) => wrong.get(`${row} ${column}`) ?? [])),
  );
  const numeric = $derived.by(() => {
    const { amount, quantity, unit_price, debit, credit } = waiting.columns;
    return new Set([amount, quantity, unit_price, debit, credit]);
  });
</script>

{#if file.misfits.length > 0}
  <p class="shrink-0 text-error" role="status">
    This file is not like the last one of {waiting.source}. {file.misfits.join(' ')} Look at every column.
  </p>
{:else if file.remembered}
  <p class="quiet shrink-0">Read as the last file of {file.source} was.</p>
{:else if file.why || waiting.multiplied}
  <p class="quiet shrink-0">
    {file.why}
    {#if waiting.multiplied}Amounts are quantity times unit price.{/if}
  </p>
{/if}
{#if waiting.makesOrders}
  <p class="shrink-0" role="status">
    <b class="font-semibold">No column has an order number:</b> what one customer bought
    {waiting.ordersBy === 'day' ? 'on one day' : 'at one time, or on one day where there is no time,'} is one order.
  </p>
{/if}
{#each waiting.byContent as meaning (meaning)}
  <p class="shrink-0" role="status">
    <b class="font-semibold">“{waiting.columns[meaning]}” is taken for the {MEANING_WORDS[meaning]}</b> by what
    stands in it, not by its name: look whether that is right.
  </p>
{/each}
{#each waiting.questions as question (question.choice)}
  <p class="shrink-0" role="status" class:text-error={!question.answer}>
    {question.text}
    <WordMenu
      text={question.answers.find(({ answer }) => answer === question.answer)?.words ?? 'say which'}
      title={question.text}
      chosen={question.answer ? [question.answer] : []}
      options={question.answers.map(({ answer, words }) => ({ value: answer, label: words }))}
      onchoose={([answer]) => waiting.say({ choice: [question.choice, answer ?? ''] })}
    />.
  </p>
{/each}
{#if waiting.namesOnly}
  <p class="shrink-0" role="status">
    <b class="font-semibold">Customers are known by name alone:</b> two people of one name would be one customer.
  </p>
{/if}
<div class="max-h-[21rem] min-h-40 shrink-0 overflow-auto rounded-box border border-base-300 bg-base-100">
  <table class="w-full border-collapse">
    <thead>
      <tr class="bg-base-200 align-bottom">
        {#each columns as { column, at } (at)}
          {@const meaning = waiting.meaningOf(column)}
          {@const further = waiting.furtherOf(column)}
          <th
            class="px-3 py-2 text-left font-normal whitespace-nowrap"
            class:text-right={numeric.has(column)}
          >
            <WordMenu
              text={meaning ? MEANING_WORDS[meaning] : further ? KEPT_WORDS[further.at] : unread}
              title="What the column “{column}” means"
              chosen={[meaning ?? (further ? KEPT + further.at : NONE)]}
              options={further ? [...places, ...meanings] : [...meanings, ...places]}
              quiet={!meaning && (!further || further.at === 'nowhere')}
              onchoose={([value]) => choose(column, value ?? NONE)}
            />
            {#if further}<span class="facts quiet">{facts(further)}</span>{/if}
          </th>
        {/each}
      </tr>
      <tr class="border-y-2 border-y-[var(--gold)]">
        {#each columns as { column, at } (at)}
          <th
            scope="col"
            class="px-3 py-1 text-left font-semibold whitespace-nowrap"
            class:text-right={numeric.has(column)}>{column}</th
          >
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each file.first_rows as row, place (place)}
        <tr class="border-b border-base-300 last:border-0">
          {#each columns as { column, at } (at)}
            {@const problem = wrong.get(`${file.first_numbers[place]} ${column}`)}
            <td
              class="max-w-64 truncate px-3 py-1 whitespace-pre"
              class:quiet={!isKept(column)}
              class:text-right={numeric.has(column)}
              class:wrong={problem?.rejected}
              class:left-out={problem && !problem.rejected}
              title={problem ? `${problem.reason} ${problem.remedy}` : undefined}
              >{row[at]?.trim() || !problem ? (row[at] ?? '') : 'missing'}</td
            >
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
<p class="quiet shrink-0 text-sm">
  {#if shown.some((problem) => problem.rejected)}<span class="wrong rounded-selector px-1"
      >will be rejected</span
    >&nbsp;{/if}{#if shown.some((problem) => !problem.rejected)}<span class="left-out rounded-selector px-1"
      >imported without it</span
    >&nbsp;{/if}The first {file.first_rows.length} of {counted(file.row_estimate, 'row')}, as they stand in
  the file{file.encoding ? `, written in ${file.encoding}` : ''}. {file.header_row > 1
    ? `The header is in row ${file.header_row}; what stands above it is not read. `
    : ''}Columns that count stand first. Over each, what it is read as: one click changes it.
</p>

<style>
  .facts {
    display: block;
    width: max-content;
    max-width: 11rem;
    font-size: 0.8125rem;
    line-height: 1.15rem;
    white-space: normal;
  }
  .left-out {
    background: color-mix(in oklab, var(--gold) 14%, var(--color-base-100));
    font-weight: 600;
  }
  .wrong {
    background: color-mix(in oklab, var(--color-error) 12%, var(--color-base-100));
    color: var(--color-error);
    font-weight: 600;
  }
</style>
