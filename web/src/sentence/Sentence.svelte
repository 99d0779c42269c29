<script lang="ts">
  import { said } from '$lib/format/reader';
  import type { Schemas } from '$lib/api/client';
  import { address } from '$lib/address.svelte';
  import { question } from '$lib/question.svelte';
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
  const byName = $derived(new Map(controls.map((control) => [control.name, control])));

  /** Names of lists and sources are never taken for numbers. */
  const wordsOf = (part: Schemas['PartShape']) =>
    part.control === 'list' || part.control === 'source' ? part.text : said(part.text);

  /** Choosing nothing takes the choice away, or is said where saying nothing means something else. */
  function choose({ name, unsaid }: Schemas['ControlShape'], values: string[]): void {
    const given = values.filter(Boolean);
    onchoose(name, given.length === 0 && !unsaid ? [''] : given);
  }
</script>

{#each parts as part, place (place)}
  {@const text = wordsOf(part)}
  {@const control = part.control ? byName.get(part.control) : undefined}
  {#if control}
    {#if control.name === 'where'}
      {#snippet condition(close: () => void)}
        <ConditionMenu
          book={address.book ?? 0}
          text={control.chosen[0] ?? ''}
          onchoose={(text) => {
            close();
            choose(control, [text]);
          }}
        />
      {/snippet}
      <WordPanel {text} title={control.title} panel={condition} />
    {:else if control.name === 'list'}
      {#snippet lists(close: () => void)}
        <ListPanel
          book={address.book ?? 0}
          chosen={control.chosen[0] ?? ''}
          onchoose={(name) => {
            close();
            choose(control, [name]);
          }}
        />
      {/snippet}
      <WordPanel {text} title={control.title} panel={lists} />
    {:else if control.typed}
      <TypedWord
        {text}
        title={control.title}
        chosen={control.chosen[0] ?? ''}
        options={control.options}
        typed={control.typed}
        onchoose={(value) => choose(control, [value])}
      />
    {:else}
      <WordMenu
        {text}
        title={control.title}
        chosen={control.chosen}
        options={control.options}
        several={control.several}
        onchoose={(values) => choose(control, values)}
      />
    {/if}
  {:else if part.opens && onopen}
    {@const figure = part.opens}
    <button type="button" class="said" title="Behind this number" onclick={() => onopen(figure)}
      >{text}</button
    >
  {:else if part.term !== null}
    {@const section = String(part.term)}
    <button type="button" class="said" title="What it means" onclick={() => question.explain(section)}
      >{text}</button
    >
  {:else}{text}{/if}
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
