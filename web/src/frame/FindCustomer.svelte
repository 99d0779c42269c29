<script lang="ts">
  import { address } from '$lib/address.svelte';
  import { api, told, type Schemas } from '$lib/api/client';
  import { date } from '$lib/format/dates';
  import { count } from '$lib/format/figures';
  import { isTyping } from '$lib/keys';

  let { book }: { book: number } = $props();
  let input: HTMLInputElement;
  let text = $state('');
  let open = $state(false);
  let at = $state(0);
  let found = $state.raw<Schemas['FoundShape'][]>([]);
  let answered = $state('');
  /** Enter was pressed before the answer was there. */
  let opensFirst = false;
  let request = new AbortController();
  const chosen = $derived(found[at]);

  async function find(): Promise<void> {
    request.abort();
    request = new AbortController();
    const { signal } = request;
    const wanted = text;
    const query = { ...address.choices([]), text: wanted };
    try {
      const answer = await told(
        api.GET('/api/books/{book}/threads/find', { params: { path: { book }, query }, signal }),
      );
      found = answer.found;
      answered = wanted;
      at = 0;
      const best = answer.found[0];
      if (opensFirst && best) show(best.customer);
      opensFirst = false;
    } catch {
      if (!signal.aborted) found = [];
    }
  }

  function show(customer: number): void {
    open = false;
    text = '';
    input.blur();
    if (address.stop === 'threads') address.change({ customer: String(customer) });
    else {
      const query = address.reading;
      query.set('customer', String(customer));
      address.visit(book, 'threads', query);
    }
  }

  function pressed(event: KeyboardEvent): void {
    if (event.key === 'ArrowDown') at = Math.min(found.length - 1, at + 1);
    else if (event.key === 'ArrowUp') at = Math.max(0, at - 1);
    else if (event.key === 'Enter' && answered !== text) opensFirst = true;
    else if (event.key === 'Enter' && chosen) show(chosen.customer);
    else if (event.key === 'Escape') {
      open = false;
      input.blur();
    } else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function fromAnywhere(event: KeyboardEvent): void {
    if (event.key !== '/' || isTyping(event)) return;
    event.preventDefault();
    input.focus();
  }
</script>

<svelte:window onkeydown={fromAnywhere} />
<div class="relative not-printed">
  <label class="input input-sm w-40 xl:w-52">
    <span class="sr-only">Find a customer</span>
    <input
      bind:this={input}
      bind:value={text}
      type="search"
      placeholder="Find a customer"
      role="combobox"
      aria-expanded={open && text !== ''}
      aria-controls="found-customers"
      aria-autocomplete="list"
      aria-activedescendant={open && chosen ? `found-${chosen.customer}` : undefined}
      autocomplete="off"
      spellcheck="false"
      onfocus={() => {
        open = true;
        // what is typed next is answered at once when the index is warm
        void find();
      }}
      onblur={() => (open = false)}
      oninput={() => {
        open = true;
        opensFirst = false;
        void find();
      }}
      onkeydown={pressed}
    />
    <kbd class="kbd kbd-sm">/</kbd>
  </label>
  {#if open && text.trim() !== ''}
    <ul
      id="found-customers"
      role="listbox"
      aria-label="Customers found"
      class="absolute right-0 z-30 mt-1 w-[460px] rounded-box border border-base-300 bg-base-100 p-1 shadow-lg"
    >
      {#each found as each, place (each.customer)}
        <!-- the keys of the field do the same -->
        <!-- svelte-ignore a11y_click_events_have_key_events -->
        <li
          id="found-{each.customer}"
          role="option"
          aria-selected={place === at}
          class="grid cursor-pointer grid-cols-[1fr_auto] gap-x-4 rounded-selector px-2 py-1"
          class:bg-base-200={place === at}
          onmousedown={(event) => event.preventDefault()}
          onmouseenter={() => (at = place)}
          onclick={() => show(each.customer)}
        >
          <span class="truncate font-semibold">{each.name}</span>
          <span class="text-right">{each.latest_date ? date(each.latest_date) : 'never ordered'}</span>
          <span class="quiet truncate text-sm"
            >{[each.key, each.email === each.key ? '' : each.email, each.town]
              .filter(Boolean)
              .join(' · ')}</span
          >
          <span class="quiet text-right text-sm"
            >{each.days_since === null ? '' : `${count(each.days_since)} days ago`}</span
          >
        </li>
      {:else}
        <li class="quiet px-2 py-1" role="option" aria-selected="false">
          {answered === text ? 'Nobody of that name, number, e-mail or town.' : '…'}
        </li>
      {/each}
    </ul>
  {/if}
</div>
