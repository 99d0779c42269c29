<script lang="ts">
  import { Combobox } from 'bits-ui';
  import { address } from '$lib/address.svelte';
  import { api, answerOf, problemOf, type Schemas } from '$lib/api/client';
  import { useCommand } from '$lib/commands.svelte';
  import { date } from '$lib/format/dates';
  import { count } from '$lib/format/figures';

  let { book }: { book: number } = $props();
  let input = $state<HTMLElement | null>(null);
  let text = $state('');
  let open = $state(false);
  let found = $state.raw<Schemas['FoundShape'][]>([]);
  let answered = $state('');
  let problem = $state('');
  /** Enter was pressed before the answer was there. */
  let opensFirst = false;
  let request = new AbortController();

  async function find(): Promise<void> {
    request.abort();
    request = new AbortController();
    const { signal } = request;
    const wanted = text;
    const query = { ...address.choices([]), text: wanted };
    try {
      const answer = await answerOf(
        api.GET('/api/books/{book}/find', { params: { path: { book }, query }, signal }),
      );
      found = answer.found;
      answered = wanted;
      const best = answer.found[0];
      if (opensFirst && best) show(best.customer);
      opensFirst = false;
      problem = '';
    } catch (error) {
      if (signal.aborted) return;
      found = [];
      const { detail, remedy } = problemOf(error);
      problem = `${detail} ${remedy}`;
    }
  }

  function show(customer: number): void {
    open = false;
    text = '';
    if (address.stop === 'threads') address.change({ customer: String(customer) });
    else address.visitCustomer(book, customer);
  }

  /** Whether the arrow keys have led to a match. Items of an earlier answer may still be there, so it must be of this one. */
  function isLit({ customer }: Schemas['FoundShape']): boolean {
    const lit = input?.getAttribute('aria-activedescendant');
    return (lit && document.getElementById(lit)?.dataset['value']) === String(customer);
  }

  function pressed(event: KeyboardEvent): void {
    const best = found[0];
    if (event.key === 'Escape') {
      open = false;
      input?.blur();
    } else if (event.key !== 'Enter') return;
    else if (answered !== text) opensFirst = true;
    else if (best) show((found.find(isLit) ?? best).customer);
    else return;
    event.preventDefault();
  }

  useCommand('find', () => input?.focus());
</script>

<Combobox.Root
  type="single"
  value=""
  inputValue={text}
  bind:open={() => open && text.trim() !== '', (now) => (open = now)}
  onValueChange={(customer) => {
    if (customer) show(Number(customer));
  }}
>
  <div class="input input-sm w-40 not-printed xl:w-48">
    <Combobox.Input
      bind:ref={input}
      type="search"
      class="w-full"
      placeholder="Find a customer"
      aria-label="Find a customer"
      autocomplete="off"
      spellcheck="false"
      onfocus={() => {
        // what is typed next is answered at once when the index is warm
        void find();
      }}
      oninput={(event) => {
        text = event.currentTarget.value;
        open = true;
        opensFirst = false;
        void find();
      }}
      onkeydown={pressed}
    />
    <kbd class="kbd kbd-sm">/</kbd>
  </div>
  <Combobox.Content
    class="popped w-[460px] max-w-[94vw] p-1"
    strategy="fixed"
    align="end"
    sideOffset={4}
    collisionPadding={8}
    preventScroll={false}
    aria-label="Customers found"
  >
    {#each found as each (each.customer)}
      <Combobox.Item
        value={String(each.customer)}
        label={each.name}
        class="grid cursor-pointer grid-cols-[1fr_auto] gap-x-4 rounded-selector px-2 py-1 data-highlighted:bg-base-200"
      >
        <span dir="auto" class="truncate font-semibold">{each.name}</span>
        <span class="text-right">{each.latest_date ? date(each.latest_date) : 'never ordered'}</span>
        <span class="quiet truncate text-sm"
          >{[each.key, each.email === each.key ? '' : each.email, each.town]
            .filter(Boolean)
            .join(' · ')}</span
        >
        <span class="quiet text-right text-sm"
          >{each.days_since === null ? '' : `${count(each.days_since)} days ago`}</span
        >
      </Combobox.Item>
    {:else}
      <div class="quiet px-2 py-1" role="option" aria-selected="false" tabindex="-1">
        {problem || (answered === text ? 'Nobody of that name, number, e-mail or town.' : 'Looking…')}
      </div>
    {/each}
  </Combobox.Content>
</Combobox.Root>
