<script lang="ts">
  import { address } from '$lib/address.svelte';
  import type { Schemas } from '$lib/api/client';
  import { trimmed, type Cell } from '$lib/format/cells';
  import { date } from '$lib/format/dates';
  import { count, counted, decimal, money, nounFor } from '$lib/format/figures';
  import WordMenu from '$src/menus/WordMenu.svelte';

  interface Props {
    page: Schemas['CustomerShape'];
    onchoose: (name: string, values: string[]) => void;
  }
  let { page, onchoose }: Props = $props();
  const facts = $derived(page.facts);
  const lapse = $derived(page.controls.find((control) => control.name === 'lapse'));
  const lapseWords = $derived(
    lapse?.options.find((option) => option.value === page.lapse)?.label ?? page.lapse,
  );
  const late = $derived(typeof facts.overdue === 'number' && facts.overdue > 1);
  const byActivity = $derived(address.query.get('lapse_by') === 'activity');
  const lapsed = $derived(facts.standing === 'lapsed');

  const day = (value: Cell | undefined) => (value ? date(String(value)) : '—');
  const days = (value: Cell | undefined) =>
    value === null || value === undefined
      ? '—'
      : `${trimmed(Number(value))} ${nounFor(Number(value), 'day')}`;
  const amount = (value: Cell | undefined) => (value ? money(String(value)) : '—');

  const first = $derived(
    [facts.first_source, facts.first_category, facts.first_date ? amount(facts.first_amount) : '']
      .filter(Boolean)
      .join(', '),
  );
  const due = $derived.by(() => {
    if (!facts.next_due) return 'too few orders to say';
    const gap = `${page.own_rhythm ? 'their' : "all customers'"} usual gap of ${days(page.expected_gap)}`;
    if (typeof facts.overdue !== 'number') return `by ${gap}`;
    return late ? `late: ${decimal(facts.overdue)} times ${gap}` : `by ${gap}`;
  });
  const activity = $derived(
    !facts.last_activity ? 'neither order nor payment' : page.paid_last ? 'a payment' : 'an order',
  );
  const balance = $derived.by(() => {
    if (facts.balance === null || facts.balance === undefined) return '';
    const by = page.paid_to.length > 0 ? ` (payments from ${page.paid_to.join(' and ')})` : '';
    return `; balance ${amount(facts.balance)}${by}`;
  });
</script>

<dl class="mt-2 grid grid-cols-2 gap-x-6 gap-y-1 sm:grid-cols-3">
  <div>
    <dt>First order</dt>
    <dd><b>{day(facts.first_date)}</b> <span>{first}</span></dd>
  </div>
  <div>
    <dt>Latest order</dt>
    <dd>
      <b>{day(facts.latest_date)}</b>
      <span class:red={lapsed}
        >{facts.days_since === null ? 'never ordered' : `${days(facts.days_since)} ago`}</span
      >
    </dd>
  </div>
  <div>
    <dt>Orders</dt>
    <dd>
      <b>{count(Number(facts.orders ?? 0))}</b>
      <span
        >{money(String(facts.revenue ?? '0'))} in all{facts.average_order_value
          ? `, ${decimal(Number(facts.average_order_value), 2)} on average`
          : ''}</span
      >
    </dd>
  </div>
  <div>
    <dt>Usual gap</dt>
    <dd>
      <b>{days(facts.usual_gap)}</b>
      {#if facts.usual_gap !== null}
        <span>mean {trimmed(Number(facts.average_gap))}, widest {trimmed(Number(facts.widest_gap))}</span>
      {:else}<span>{facts.orders === 1 ? 'one order' : 'no order'}</span>{/if}
    </dd>
  </div>
  <div>
    <dt>{late || !facts.next_due ? 'Next order was due' : 'Next order is due'}</dt>
    <dd><b>{day(facts.next_due)}</b> <span class:red={late}>{due}</span></dd>
  </div>
  <div>
    <dt>Last activity</dt>
    <dd>
      <b>{day(facts.last_activity)}</b>
      <span>{activity}{balance}</span>
    </dd>
  </div>
</dl>
<p class="mt-1 text-sm">
  <span class="font-semibold" class:red={lapsed}>{facts.standing}</span>
  <span class="quiet"
    >(lapsed after
    <WordMenu
      text={lapseWords}
      title={lapse?.title ?? 'Lapsed after'}
      chosen={[page.lapse]}
      options={lapse?.options ?? []}
      onchoose={(values) => onchoose('lapse', values)}
    /> without an order{byActivity ? ' or a payment' : ''}){#if page.not_counted > 0}; {counted(
        page.not_counted,
        'order',
      )} not counted by the reading line{/if}</span
  >
</p>

{#each page.contacts as contact, at (at)}
  <p class="text-sm">
    Contacted on <strong>{date(contact.date)}</strong>{contact.channel
      ? `, ${contact.channel}`
      : ''}{contact.by ? `, by ${contact.by}` : ''}
    <span class="quiet">from the list {contact.list_name}{contact.note ? `: ${contact.note}` : ''}</span>
  </p>
{/each}

<style>
  dt {
    color: var(--color-neutral);
    font-size: 0.875rem;
    line-height: 1.2;
  }
  dd {
    line-height: 1.25;
  }
  b {
    font-family: var(--font-serif);
    font-size: 1.2rem;
    font-weight: 600;
    white-space: nowrap;
  }
  dd span {
    color: var(--color-neutral);
    font-size: 0.875rem;
  }
  .red,
  dd span.red {
    color: var(--color-error);
  }
</style>
