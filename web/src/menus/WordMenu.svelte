<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { DropdownMenu } from 'bits-ui';
  import { narrowed, type Choice } from './choice';
  import ChoiceWords from './ChoiceWords.svelte';

  interface Props {
    text: string;
    title: string;
    options: Choice[];
    chosen?: string[];
    several?: boolean;
    /** Its words do something at once, instead of being one of the sentence. */
    acts?: boolean;
    quiet?: boolean;
    disabled?: boolean;
    onchoose: (values: string[]) => void;
  }
  let {
    text,
    title,
    options,
    chosen = [],
    several = false,
    acts = false,
    quiet = false,
    disabled = false,
    onchoose,
  }: Props = $props();

  let open = $state(false);
  let typed = $state('');
  let word = $state<HTMLElement | null>(null);
  let content = $state<HTMLElement | null>(null);
  let hasChosen = false;
  // ahead of the answer that will confirm it, so that quick clicks build on each other
  let picked = $derived(chosen);
  const shown = $derived(narrowed(options, typed));

  const items = () => [...(content?.querySelectorAll<HTMLElement>('[role^=menuitem]') ?? [])];

  // as soon as it is there, because the next key may come before the next frame; the press of the mouse that opened it
  // must not take the focus back to the word
  $effect(() => {
    if (!content) return;
    const all = untrack(items);
    (all.find((item) => item.ariaChecked === 'true') ?? all[0])?.focus();
  });

  function choose(value: string): void {
    if (!several) {
      hasChosen = true;
      // before the answer changes the page, which would have to be laid out once more for the focus
      word?.focus({ preventScroll: true });
      onchoose([value]);
      return;
    }
    const next = options.map((o) => o.value).filter((v) => (v === value) !== picked.includes(v));
    if (next.length === 0) return;
    picked = next;
    onchoose(next);
  }

  function closed(event: Event): void {
    // a choice has given the focus back already
    if (hasChosen) event.preventDefault();
    hasChosen = false;
  }

  function pressed(event: KeyboardEvent): void {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === 'Backspace') narrow(typed.slice(0, -1));
    else if (event.key.length === 1 && event.key !== ' ') narrow(typed + event.key);
    else return;
    event.preventDefault();
  }

  function narrow(next: string): void {
    if (narrowed(options, next).length === 0) return;
    // the item in focus may be about to go, and the focus must not go with it
    content?.focus();
    typed = next;
    void tick().then(() => items()[0]?.focus());
  }
</script>

<DropdownMenu.Root
  bind:open
  onOpenChange={() => {
    typed = '';
  }}
>
  <DropdownMenu.Trigger
    bind:ref={word}
    type="button"
    class={['word', quiet && 'quiet text-sm']}
    {disabled}
    aria-label="{title}: {text}"
    onmousedown={(event) => event.preventDefault()}>{text}</DropdownMenu.Trigger
  ><span class:absolute={open}
    ><DropdownMenu.Content
      bind:ref={content}
      class="popped min-w-52 p-2"
      strategy="fixed"
      align="start"
      sideOffset={6}
      collisionPadding={8}
      preventScroll={false}
      preventOverflowTextSelection={false}
      aria-label={title}
      trapFocus={false}
      onOpenAutoFocus={(event) => event.preventDefault()}
      onCloseAutoFocus={closed}
      onkeydown={pressed}
    >
      <p class="quiet px-2 pb-1 text-sm" aria-hidden="true">{title}{typed ? `: ${typed}` : ''}</p>
      {#if several}
        {#each shown as option (option.value)}
          {@const on = picked.includes(option.value)}
          <DropdownMenu.CheckboxItem
            bind:checked={() => on, () => choose(option.value)}
            closeOnSelect={false}
            class={['choice', on && 'font-semibold']}
            ><ChoiceWords {option} {on} square /></DropdownMenu.CheckboxItem
          >
        {/each}
      {:else if acts}
        {#each shown as option (option.value)}
          <DropdownMenu.Item class="choice" onSelect={() => choose(option.value)}
            >{option.label}</DropdownMenu.Item
          >
        {/each}
      {:else}
        <DropdownMenu.RadioGroup bind:value={() => chosen[0] ?? '', () => undefined} aria-label={title}>
          {#each shown as option (option.value)}
            {@const on = picked.includes(option.value)}
            <DropdownMenu.RadioItem
              value={option.value}
              class={['choice', on && 'font-semibold']}
              onSelect={() => choose(option.value)}><ChoiceWords {option} {on} /></DropdownMenu.RadioItem
            >
          {/each}
        </DropdownMenu.RadioGroup>
      {/if}
    </DropdownMenu.Content></span
  ></DropdownMenu.Root
>
