<script lang="ts" module>
  export interface Choice {
    value: string;
    label: string;
  }
</script>

<script lang="ts">
  import { tick, type Snippet } from 'svelte';

  interface Props {
    text: string;
    title: string;
    chosen: string[];
    options: Choice[];
    several?: boolean;
    quiet?: boolean;
    onchoose: (values: string[]) => void;
    further?: Snippet<[() => void]>;
  }
  let { text, title, chosen, options, several = false, quiet = false, onchoose, further }: Props = $props();

  // the menu stands above everything that scrolls or clips, so it is placed in the window
  const GAP = 8;
  const WIDEST = 330;
  const LOWEST = 240;
  let open = $state(false);
  let typed = $state('');
  let place = $state.raw({ left: 0, top: 0 });
  let root: HTMLElement;
  let button: HTMLButtonElement;
  // ahead of the answer that will confirm it, so that quick clicks build on each other
  let picked = $derived(chosen);
  const shown = $derived(
    options.filter((option) => option.label.toLowerCase().includes(typed.toLowerCase())),
  );

  function show(): void {
    typed = '';
    open = true;
    const { left, bottom } = button.getBoundingClientRect();
    place = { left: Math.min(left, innerWidth - WIDEST), top: Math.min(bottom + GAP, innerHeight - LOWEST) };
    // at once, not at the next frame: the next key may come before it
    void tick().then(() =>
      items()[
        Math.max(
          0,
          options.findIndex((o) => chosen.includes(o.value)),
        )
      ]?.focus(),
    );
  }

  function close(): void {
    open = false;
    button.focus();
  }

  function items(): HTMLElement[] {
    return [...root.querySelectorAll<HTMLElement>('[role^=menuitem]')];
  }

  function choose(value: string): void {
    if (!several) {
      close();
      onchoose([value]);
      return;
    }
    const next = options.map((o) => o.value).filter((v) => (v === value) !== picked.includes(v));
    if (next.length === 0) return;
    picked = next;
    onchoose(next);
  }

  function pressed(event: KeyboardEvent): void {
    if (!open || event.target instanceof HTMLInputElement) {
      if (open && event.key === 'Escape') close();
      return;
    }
    const all = items();
    const at = all.indexOf(document.activeElement as HTMLElement);
    if (event.key === 'Escape') close();
    else if (event.key === 'ArrowDown') all[(at + 1) % all.length]?.focus();
    else if (event.key === 'ArrowUp') all[(at - 1 + all.length) % all.length]?.focus();
    else if (event.key === 'Home') all[0]?.focus();
    else if (event.key === 'End') all.at(-1)?.focus();
    else if (event.key === 'Backspace') narrow(typed.slice(0, -1));
    else if (event.key.length === 1 && event.key !== ' ' && !event.ctrlKey && !event.metaKey)
      narrow(typed + event.key);
    else return;
    event.preventDefault();
    event.stopPropagation();
  }

  function narrow(next: string): void {
    if (!options.some((option) => option.label.toLowerCase().includes(next.toLowerCase()))) return;
    // the item in focus may be about to go, and losing focus closes the menu
    root.querySelector<HTMLElement>('[role=menu]')?.focus();
    typed = next;
    void tick().then(() => items()[0]?.focus());
  }

  function scrolled(event: Event): void {
    if (open && !root.contains(event.target as Node)) open = false;
  }

  function left(event: FocusEvent): void {
    if (!root.contains(event.relatedTarget as Node | null)) open = false;
  }
</script>

<svelte:window onresize={() => (open = false)} onscrollcapture={scrolled} />
<!-- svelte-ignore a11y_no_static_element_interactions -->
<span bind:this={root} class="relative inline-block whitespace-nowrap" onkeydown={pressed} onfocusout={left}>
  <button
    bind:this={button}
    type="button"
    class="word"
    class:quiet
    class:text-sm={quiet}
    aria-haspopup="menu"
    aria-expanded={open}
    aria-label="{title}: {text}"
    onclick={() => (open ? close() : show())}>{text}</button
  >{#if open}
    <div
      role="menu"
      aria-label={title}
      tabindex="-1"
      style:left="{place.left}px"
      style:top="{place.top}px"
      style:max-height="calc(100vh - {place.top + GAP}px)"
      class="fixed z-30 min-w-52 overflow-y-auto rounded-box border border-base-300 bg-base-100 p-2 font-sans text-[0.9375rem] leading-normal font-normal text-base-content shadow-lg"
    >
      <p class="quiet px-2 pb-1 text-sm">{title}{typed ? `: ${typed}` : ''}</p>
      {#each shown as option (option.value)}
        {@const on = picked.includes(option.value)}
        <button
          type="button"
          role={several ? 'menuitemcheckbox' : 'menuitemradio'}
          aria-checked={on}
          tabindex="-1"
          class="flex w-full items-center gap-2 rounded-selector px-2 py-1 text-left hover:bg-base-200 focus:bg-base-200"
          class:font-semibold={on}
          onclick={() => choose(option.value)}
        >
          <span aria-hidden="true" class="mark" class:on class:square={several}></span>{option.label}
        </button>
      {/each}
      {#if further}
        <div class="mt-1 border-t border-base-300 px-2 pt-2">{@render further(close)}</div>
      {/if}
    </div>
  {/if}
</span>

<style>
  .mark {
    width: 10px;
    height: 10px;
    flex: none;
    border: 1.5px solid var(--gold);
    border-radius: 50%;
  }
  .mark.square {
    border-radius: 2px;
  }
  .mark.on {
    background: var(--gold);
  }
</style>
