<script lang="ts">
  import { goOnHere } from '$lib/focus';
  import { CHAPTERS, find, MEANINGS, USES } from './documents';

  interface Props {
    /** What is read: the number of a section of the definitions, or a stop. */
    chapter: string;
    /** The term that is explained, as the page says it. */
    term: string;
    onchoose: (chapter: string) => void;
    onclose: () => void;
  }
  let { chapter, term, onchoose, onclose }: Props = $props();
  const FOUND_MOST = 30;
  let typed = $state('');
  const shown = $derived(CHAPTERS.find((each) => each.name === chapter) ?? MEANINGS[0]);
  const found = $derived(typed.trim() ? find(typed) : undefined);
  let text = $state<HTMLElement>();

  // where the term is explained first; what comes before it is read by whoever scrolls up
  $effect(() => {
    if (!shown || !term || found) return;
    const spots = [...(text?.querySelectorAll<HTMLElement>('tr, li, p') ?? [])];
    const spot = spots.find((each) => each.textContent.toLowerCase().includes(term.toLowerCase()));
    if (!spot) return;
    spot.dataset['met'] = '';
    spot.scrollIntoView({ block: 'start' });
    return () => delete spot.dataset['met'];
  });

  /** Only what is read goes on paper. */
  function print(): void {
    const root = document.documentElement;
    root.dataset['paper'] = 'help';
    addEventListener('afterprint', () => delete root.dataset['paper'], { once: true });
    window.print();
  }
</script>

<section aria-label="What it means" class="help flex h-full min-h-0 flex-col">
  <div class="flex items-baseline justify-between gap-3">
    <h2 class="text-xl outline-none" tabindex="-1" {@attach goOnHere}>What it means</h2>
    <span class="flex gap-4 text-sm not-printed">
      <button class="word" onclick={print}>print</button>
      <button class="word" onclick={onclose}>close</button>
    </span>
  </div>
  <div class="my-2 grid gap-2 not-printed">
    <select
      class="select select-sm w-full"
      aria-label="What is read"
      value={shown?.name}
      onchange={(event) => {
        typed = '';
        onchoose(event.currentTarget.value);
      }}
    >
      {#each [{ label: 'What every figure means', chapters: MEANINGS }, { label: 'How each stop is used', chapters: USES }] as group (group.label)}
        <optgroup label={group.label}>
          {#each group.chapters as each (each.name)}<option value={each.name}>{each.title}</option>{/each}
        </optgroup>
      {/each}
    </select>
    <input
      type="search"
      class="input input-sm w-full"
      placeholder="Search all of it"
      aria-label="Search all of it"
      maxlength="100"
      bind:value={typed}
    />
  </div>
  <!-- the text is our own, made when the page was built -->
  <!-- eslint-disable svelte/no-at-html-tags -->
  <div class="text min-h-0 flex-1 text-sm desk:overflow-y-auto" bind:this={text}>
    {#if found}
      <p class="quiet" role="status">
        {found.length === 0 ? `Nothing says “${typed.trim()}”.` : ''}
        {found.length > FOUND_MOST ? `The first ${FOUND_MOST} of ${found.length} places.` : ''}
      </p>
      {#each found.slice(0, FOUND_MOST) as { chapter, title, html }, at (at)}
        <h3>
          <button
            class="word text-left"
            onclick={() => {
              typed = '';
              onchoose(chapter.name);
            }}>{title}</button
          >
        </h3>
        {@html html}
      {/each}
    {:else if shown}
      {#each shown.sections as section (section)}
        <h3>{section.title}</h3>
        {#each section.blocks as block (block)}{@html block.html}{/each}
      {/each}
    {/if}
  </div>
</section>

<style>
  .text :global {
    h3 {
      margin: 0.75rem 0 0.25rem;
      font-weight: 600;
    }
    p,
    ul,
    ol,
    table,
    pre {
      margin-bottom: 0.6rem;
    }
    ul {
      list-style: disc;
      padding-left: 1.1rem;
    }
    ol {
      list-style: decimal;
      padding-left: 1.3rem;
    }
    table {
      display: block;
      overflow-x: auto;
    }
    th,
    td {
      padding: 0.2rem 0.5rem 0.2rem 0;
      border-top: 1px solid var(--color-base-300);
      text-align: left;
      vertical-align: top;
    }
    pre {
      overflow-x: auto;
    }
    [data-met] {
      background: color-mix(in oklab, var(--color-accent) 16%, transparent);
    }
  }
</style>
