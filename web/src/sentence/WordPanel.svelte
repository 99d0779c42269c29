<script lang="ts">
  import { tick, type Snippet } from 'svelte';

  interface Props {
    text: string;
    title: string;
    panel: Snippet<[() => void]>;
  }
  let { text, title, panel }: Props = $props();

  // the panel stands above everything that scrolls or clips, so it is placed in the window
  const GAP = 8;
  const WIDEST = 610;
  let open = $state(false);
  let place = $state.raw({ left: 0, top: 0 });
  let root: HTMLElement;
  let button: HTMLButtonElement;

  function show(): void {
    const { left, bottom } = button.getBoundingClientRect();
    place = { left: Math.max(GAP, Math.min(left, innerWidth - WIDEST)), top: bottom + GAP };
    open = true;
    void tick().then(() =>
      root
        .querySelector<HTMLElement>('[role=dialog] select, [role=dialog] textarea, [role=dialog] input')
        ?.focus(),
    );
  }

  function close(): void {
    open = false;
    button.focus();
  }

  function pressed(event: KeyboardEvent): void {
    if (!open || event.key !== 'Escape') return;
    close();
    event.stopPropagation();
  }

  function left(event: MouseEvent): void {
    if (open && !root.contains(event.target as Node)) open = false;
  }
</script>

<svelte:window onresize={() => (open = false)} onmousedown={left} />
<!-- svelte-ignore a11y_no_static_element_interactions -->
<span bind:this={root} class="relative" onkeydown={pressed}>
  <button
    bind:this={button}
    type="button"
    class="word text-left"
    aria-haspopup="dialog"
    aria-expanded={open}
    aria-label="{title}: {text}"
    onclick={() => (open ? close() : show())}>{text}</button
  >{#if open}
    <div
      role="dialog"
      aria-label={title}
      style:left="{place.left}px"
      style:top="{place.top}px"
      style:max-height="calc(100vh - {place.top + GAP}px)"
      class="fixed z-30 overflow-y-auto rounded-box border border-base-300 bg-base-100 p-3 font-sans leading-normal font-normal text-base-content shadow-lg"
    >
      {@render panel(close)}
    </div>
  {/if}
</span>
