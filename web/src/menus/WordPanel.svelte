<script lang="ts">
  import type { Snippet } from 'svelte';
  import { Popover } from 'bits-ui';

  interface Props {
    text: string;
    title: string;
    panel: Snippet<[() => void]>;
    disabled?: boolean;
    quiet?: boolean;
  }
  let { text, title, panel, disabled = false, quiet = false }: Props = $props();
  let open = $state(false);
  let content = $state<HTMLElement | null>(null);

  export function show(): void {
    open = true;
  }

  /** The first field is what one came for; without one, the first thing that can be chosen. */
  function opened(event: Event): void {
    const first =
      content?.querySelector<HTMLElement>('[aria-checked=true], input:not([type=radio]), select, textarea') ??
      content?.querySelector<HTMLElement>('button, a');
    if (!first) return;
    event.preventDefault();
    first.focus();
  }
</script>

<Popover.Root bind:open
  ><Popover.Trigger
    type="button"
    class={['word text-left', quiet && 'quiet text-sm']}
    {disabled}
    aria-label="{title}: {text}">{text}</Popover.Trigger
  ><span class:absolute={open}
    ><Popover.Content
      bind:ref={content}
      class="popped max-w-[calc(100vw-16px)] p-3"
      strategy="fixed"
      align="start"
      sideOffset={6}
      collisionPadding={8}
      preventScroll={false}
      preventOverflowTextSelection={false}
      role="dialog"
      aria-label={title}
      onOpenAutoFocus={opened}
    >
      {@render panel(() => (open = false))}
    </Popover.Content></span
  ></Popover.Root
>
