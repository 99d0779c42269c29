<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { address } from '$lib/address.svelte';
  import ListPanel from '$src/lists/ListPanel.svelte';
  import ConditionMenu from './ConditionMenu.svelte';
  import TypedWord from '$src/menus/TypedWord.svelte';
  import WordMenu from '$src/menus/WordMenu.svelte';
  import WordPanel from '$src/menus/WordPanel.svelte';

  interface Props {
    parts: Schemas['PartShape'][];
    controls: Schemas['ControlShape'][];
    onchoose: (name: string, values: string[]) => void;
    /** Opens a figure that the sentence says. */
    onopen?: ((figure: string) => void) | undefined;
  }
  let { parts, controls, onchoose, onopen }: Props = $props();
  /** Words that can also be typed. */
  const EXACT: Record<
    string,
    { type: 'date' | 'number' | 'text'; label: string; most?: number; placeholder?: string }
  > = {
    as_of: { type: 'date', label: 'a date' },
    from: { type: 'date', label: 'a date' },
    to: { type: 'date', label: 'a date' },
    groups: { type: 'number', label: 'orders', most: 100 },
    step: { type: 'number', label: 'after order number', most: 100 },
    margin: { type: 'text', label: 'percent', placeholder: '42, or 42,2025-01=40' },
    if_margin: { type: 'text', label: 'per cent', placeholder: '5 or -5' },
    if_cac: { type: 'text', label: 'per cent', placeholder: '5 or -5' },
    if_order_value: { type: 'text', label: 'per cent', placeholder: '5 or -5' },
    if_retention: { type: 'text', label: 'per cent', placeholder: '5 or -5' },
    one: { type: 'text', label: 'whom', placeholder: '2026-03 or list:fairs' },
    other: { type: 'text', label: 'whom', placeholder: '2026-03 or list:fairs' },
    cac: { type: 'number', label: 'an amount' },
    lapse: { type: 'text', label: 'days, months or usual gaps', placeholder: '45d, 4m or 1.5x' },
    within: { type: 'text', label: 'days', placeholder: '45d' },
    once_ago: { type: 'text', label: 'days', placeholder: '45d' },
  };

  const byName = $derived(new Map(controls.map((control) => [control.name, control])));
</script>

{#each parts as part, place (place)}
  {@const control = part.control ? byName.get(part.control) : undefined}
  {#if control}
    {@const exact = EXACT[control.name]}
    {#if control.name === 'where'}
      {#snippet condition(close: () => void)}
        <ConditionMenu
          book={address.book ?? 0}
          text={control.chosen[0] ?? ''}
          onchoose={(text) => {
            close();
            onchoose(control.name, [text]);
          }}
        />
      {/snippet}
      <WordPanel text={part.text} title={control.title} panel={condition} />
    {:else if control.name === 'list'}
      {#snippet lists(close: () => void)}
        <ListPanel
          book={address.book ?? 0}
          chosen={control.chosen[0] ?? ''}
          onchoose={(name) => {
            close();
            onchoose(control.name, [name]);
          }}
        />
      {/snippet}
      <WordPanel text={part.text} title={control.title} panel={lists} />
    {:else if exact}
      <TypedWord
        text={part.text}
        title={control.title}
        chosen={control.chosen[0] ?? ''}
        options={control.options}
        {...exact}
        onchoose={(value) => onchoose(control.name, [value])}
      />
    {:else}
      <WordMenu
        text={part.text}
        title={control.title}
        chosen={control.chosen}
        options={control.options}
        several={control.several}
        onchoose={(values) => onchoose(control.name, values)}
      />
    {/if}
  {:else if part.opens && onopen}
    {@const figure = part.opens}
    <button type="button" class="said" title="Behind this number" onclick={() => onopen(figure)}
      >{part.text}</button
    >
  {:else}{part.text}{/if}
{/each}

<style>
  .said {
    font-weight: 600;
    text-decoration: underline 1px var(--color-base-300);
    text-underline-offset: 0.25em;
  }
  .said:hover {
    text-decoration-color: currentColor;
  }
</style>
