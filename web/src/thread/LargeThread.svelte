<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { date, dayNumber, span } from '$lib/format/dates';
  import { count, counted, money } from '$lib/format/figures';
  import { extentOf } from '$src/charts/scales';
  import ThreadAxis from './ThreadAxis.svelte';
  import { MARGIN, dayScale, fitting, moved, radii, wholeSpan, zoomed, type Axis } from './largeThread';

  let { page }: { page: Schemas['CustomerShape'] } = $props();

  const HEIGHT = 168;
  const LINE = 84;
  const PAYMENTS = 116;
  const AXIS = 134;
  const DIGIT = 7.4;
  let width = $state(0);
  let axis = $state<Axis>('calendar');
  const whole = $derived(wholeSpan(page));
  let view = $derived(whole);
  const zoomedIn = $derived(view.last - view.first < whole.last - whole.first);
  const scale = $derived(dayScale(view, width));
  const sizes = $derived(radii(page, width));
  const knots = $derived(
    page.knots.map((each, at) => ({
      ...each,
      x: scale(dayNumber(each.date)),
      r: Math.max(sizes[at] ?? 3, at === 0 ? 4 : 0),
      words:
        each.orders === 1
          ? `${date(each.date)}, ${money(each.amount)}`
          : `${span(each.date, each.until)}, ${counted(each.orders, 'order')}, ${money(each.amount)}`,
    })),
  );
  const gathered = $derived(page.order_count > page.knots.length);
  const gaps = $derived(
    knots.flatMap((knot, at) => {
      const before = knots[at - 1];
      return before && knot.gap !== null
        ? [{ rank: knot.rank, days: knot.gap, x: (knot.x + before.x) / 2, room: knot.x - before.x }]
        : [];
    }),
  );
  const gapFits = $derived(
    fitting(
      gaps.map(({ x, days, room }) => ({ x: room > 20 ? x : -1e6, width: String(days).length * DIGIT })),
      MARGIN.left - 10,
      width,
    ),
  );
  const widest = $derived(extentOf(gaps.map((gap) => gap.days)).highest);
  const latest = $derived(knots.at(-1));
  const asOf = $derived(scale(dayNumber(page.as_of)));
  const due = $derived(
    typeof page.facts.next_due === 'string' ? scale(dayNumber(page.facts.next_due)) : null,
  );
  const late = $derived(typeof page.facts.overdue === 'number' && page.facts.overdue > 1);
  const events = $derived(
    page.events
      .map((event) => ({
        ...event,
        x: scale(dayNumber(event.begins)),
        end: scale(dayNumber(event.ends) + 1),
      }))
      .filter((event) => event.end >= MARGIN.left && event.x <= width - MARGIN.right),
  );
  const eventFits = $derived(
    fitting(
      events.map(({ x, end, label }) => ({ x: (x + end) / 2, width: label.length * 6.4 })),
      0,
      width,
    ),
  );
  const words = $derived(
    `${counted(page.order_count, 'order')}${latest ? `, latest ${latest.words}` : ''}; ${counted(page.payment_count, 'payment')}`,
  );

  /** The wheel belongs to the page until the drawing has the focus, or Ctrl says what is meant. */
  function turned(event: WheelEvent): void {
    if (document.activeElement !== event.currentTarget && !event.ctrlKey) return;
    event.preventDefault();
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY))
      view = moved(view, whole, Math.sign(event.deltaX || event.deltaY) * 0.1);
    else view = zoomed(view, whole, event.deltaY > 0 ? 1.2 : 1 / 1.2, scale.invert(event.offsetX));
  }

  function pressed(event: KeyboardEvent): void {
    const ways: Record<string, () => void> = {
      '+': () => (view = zoomed(view, whole, 1 / 1.4)),
      '-': () => (view = zoomed(view, whole, 1.4)),
      '0': () => (view = whole),
      ArrowLeft: () => (view = moved(view, whole, -0.2)),
      ArrowRight: () => (view = moved(view, whole, 0.2)),
    };
    const way = ways[event.key === '=' ? '+' : event.key];
    if (!way || event.ctrlKey || event.metaKey) return;
    event.preventDefault();
    event.stopPropagation();
    way();
  }

  /** Where each finger, or the mouse, is held down: one moves the drawing, two zoom it. */
  const held = new Map<number, number>();

  function down(event: PointerEvent & { currentTarget: Element }): void {
    if (event.button !== 0) return;
    held.set(event.pointerId, event.offsetX);
    event.currentTarget.setPointerCapture(event.pointerId);
  }

  function dragged(event: PointerEvent): void {
    const before = held.get(event.pointerId);
    if (before === undefined) return;
    const now = event.offsetX;
    const other = [...held].find(([finger]) => finger !== event.pointerId)?.[1];
    held.set(event.pointerId, now);
    if (other === undefined) view = moved(view, whole, (before - now) / (width - MARGIN.left - MARGIN.right));
    else if (now !== other && before !== other)
      view = zoomed(view, whole, Math.abs((before - other) / (now - other)), scale.invert((now + other) / 2));
  }

  const released = (event: PointerEvent) => void held.delete(event.pointerId);

  /** The wheel must not scroll the page, and only a listener that says so may keep it from that. */
  function wheel(node: SVGElement): () => void {
    node.addEventListener('wheel', turned, { passive: false });
    return () => node.removeEventListener('wheel', turned);
  }
</script>

<figure class="relative mt-1 shrink-0" bind:clientWidth={width}>
  <!-- the drawing is moved and zoomed by keys -->
  <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
  <svg
    {width}
    height={HEIGHT}
    role="application"
    aria-label="Thread: {words}. Plus and minus zoom, arrows move, 0 shows all."
    tabindex="0"
    onkeydown={pressed}
    onpointerdown={down}
    onpointermove={dragged}
    onpointerup={released}
    onpointercancel={released}
    {@attach wheel}
  >
    {#each events as event, at (at)}
      <rect
        class="event"
        x={Math.max(event.x, MARGIN.left)}
        y="16"
        width={Math.max(2, Math.min(event.end, width - MARGIN.right) - Math.max(event.x, MARGIN.left))}
        height={AXIS - 16}
      >
        <title>{event.label}: {date(event.begins)} to {date(event.ends)}</title>
      </rect>
      {#if eventFits[at]}<text class="event-name" x={(event.x + event.end) / 2} y="12" text-anchor="middle"
          >{event.label}</text
        >{/if}
    {/each}
    {#if knots[0] && latest}
      <line class="line" x1={knots[0].x} x2={latest.x} y1={LINE} y2={LINE} />
      <line class="tail" x1={latest.x + 2} x2={asOf} y1={LINE} y2={LINE} />
      <line class="today" x1={asOf} x2={asOf} y1={LINE - 9} y2={LINE + 9}
        ><title>as of {date(page.as_of)}</title></line
      >
    {/if}
    {#each gaps as gap, at (gap.rank)}
      {#if gapFits[at]}
        <text
          class="gap"
          class:widest={gap.days === widest && gaps.length > 1}
          x={gap.x}
          y={LINE - 20}
          text-anchor="middle">{count(gap.days)}</text
        >
      {/if}
    {/each}
    {#if latest && asOf - latest.x > 70}
      <text class="open" class:late x={(latest.x + asOf) / 2} y={LINE - 20} text-anchor="middle"
        >{count(Number(page.facts.days_since))} so far</text
      >
    {/if}
    {#if due !== null && due >= MARGIN.left && due <= width - 6}
      <path class="due" class:late d="M {due} {LINE - 7} l 5 7 l -5 7 l -5 -7 z"
        ><title>next order due {date(String(page.facts.next_due))}</title></path
      >
    {/if}
    {#each knots as knot (knot.rank)}
      <circle cx={knot.x} cy={LINE} r={knot.r} class:first={knot.rank === 1} class:left-out={!knot.inside}
        ><title>{knot.words}</title></circle
      >
    {/each}
    {#each page.payments as payment, at (at)}
      {@const x = scale(dayNumber(payment.date))}
      <path class="payment" d="M {x} {PAYMENTS - 5} l 5 9 l -10 0 z"
        ><title>paid {money(payment.amount)} on {date(payment.date)}</title></path
      >
    {/each}
    {#each page.contacts as contact, at (at)}
      {@const x = scale(dayNumber(contact.date))}
      <path class="contact" d="M {x} {LINE - 34} v 14"
        ><title>contacted on {date(contact.date)}{contact.channel ? `, ${contact.channel}` : ''}</title></path
      >
      <circle class="contact" cx={x} cy={LINE - 37} r="4"
        ><title>contacted on {date(contact.date)}{contact.channel ? `, ${contact.channel}` : ''}</title
        ></circle
      >
    {/each}
    <ThreadAxis {scale} {axis} {width} y={AXIS} origin={whole.first} />
  </svg>
  <figcaption class="quiet flex flex-wrap gap-x-4 text-[0.8125rem]">
    {#if page.payments.length > 0}
      <span
        ><svg width="9" height="9" aria-hidden="true"
          ><path class="payment" d="M 4.5 0 l 4.5 9 l -9 0 z" /></svg
        > payment</span
      >
    {/if}
    {#if page.contacts.length > 0}
      <span
        ><svg width="10" height="14" aria-hidden="true"
          ><path class="contact" d="M 5 6 v 8" /><circle class="contact" cx="5" cy="4" r="3" /></svg
        > contact</span
      >
    {/if}
    <span
      ><svg width="10" height="10" aria-hidden="true"
        ><path class="due" d="M 5 0 l 4 5 l -4 5 l -4 -5 z" /></svg
      > next order due</span
    >
    <span
      >{gathered
        ? 'knots are orders, gathered where they stand close'
        : 'knots by amount, figures are days between'}</span
    >
    {#if page.payment_count > page.payments.length}<span
        >the latest {count(page.payments.length)} of {counted(page.payment_count, 'payment')}</span
      >{/if}
    <span class="ml-auto not-printed">
      by <button class="word" onclick={() => (axis = axis === 'calendar' ? 'elapsed' : 'calendar')}
        >{axis === 'calendar' ? 'calendar' : 'days since the first order'}</button
      >,
      <button class="word" onclick={() => (view = zoomed(view, whole, 1 / 1.4))}>zoom in</button
      >{#if zoomedIn}, <button class="word" onclick={() => (view = zoomed(view, whole, 1.4))}>zoom out</button
        >,
        <button class="word" onclick={() => (view = whole)}>show all</button>{/if}
    </span>
  </figcaption>
</figure>

<style>
  svg {
    display: inline-block;
    overflow: hidden;
    /* a finger that goes sideways moves the drawing, one that goes up or down the page */
    touch-action: pan-y;
  }
  .event {
    fill: var(--gold);
    opacity: 0.14;
  }
  .event-name {
    fill: var(--color-neutral);
    font-size: 12px;
  }
  .line {
    stroke: var(--gold);
    stroke-width: 3;
  }
  .tail {
    stroke: var(--gold);
    stroke-width: 3;
    stroke-dasharray: 0.1 8;
    stroke-linecap: round;
  }
  .today {
    stroke: var(--color-neutral);
  }
  circle {
    fill: var(--gold);
    stroke: var(--color-base-200);
    stroke-width: 1;
  }
  circle.first {
    fill: var(--color-base-100);
    stroke: var(--gold);
    stroke-width: 2.5;
  }
  circle.left-out {
    fill: var(--gold-pale);
  }
  .gap,
  .open {
    fill: var(--color-base-content);
    font-size: 13px;
  }
  .gap.widest,
  .open {
    font-weight: 700;
  }
  .late.open {
    fill: var(--color-error);
  }
  .due {
    fill: var(--color-base-100);
    stroke: var(--color-base-content);
    stroke-width: 1.5;
  }
  .due.late {
    stroke: var(--color-error);
  }
  .contact,
  circle.contact {
    fill: var(--color-base-100);
    stroke: var(--color-base-content);
    stroke-width: 1.5;
  }
  .payment {
    fill: var(--color-success);
  }
</style>
