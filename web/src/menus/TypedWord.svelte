<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import type { Choice } from './choice';
  import ChoiceWords from './ChoiceWords.svelte';
  import DateInput from './DateInput.svelte';
  import NumberInput from './NumberInput.svelte';
  import WordPanel from './WordPanel.svelte';

  /** A word that can be chosen or typed. What is typed counts once it is used, and not before. */
  interface Props {
    text: string;
    title: string;
    chosen: string;
    options: Choice[];
    /** What can be typed. */
    typed: Pick<Schemas['TypedShape'], 'kind' | 'label'> & Partial<Schemas['TypedShape']>;
    onchoose: (value: string) => void;
  }
  let { text, title, chosen, options, typed, onchoose }: Props = $props();
  const field = $props.id();
  /** What is chosen, where it is of the kind that is typed. */
  const FORMS = {
    number: /^-?\d+(\.\d+)?$/,
    date: /^\d{4}-\d{2}-\d{2}$/,
    text: /^$/,
  };
  const usual = $derived(FORMS[typed.kind].test(chosen) ? chosen : '');
  /** What is being typed: it stays when an answer comes meanwhile. */
  let draft = $state<string>();

  function choose(value: string, close: () => void): void {
    close();
    draft = undefined;
    onchoose(value);
  }

  function used(event: SubmitEvent, close: () => void): void {
    event.preventDefault();
    const given = (draft ?? usual).trim();
    if (given) choose(given, close);
  }
</script>

{#snippet panel(close: () => void)}
  <p class="quiet px-2 pb-1 text-sm" aria-hidden="true">{title}</p>
  {#if options.length > 0}
    <div role="radiogroup" aria-label={title}>
      {#each options as option (option.value)}
        {@const on = option.value === chosen}
        <button
          type="button"
          role="radio"
          aria-checked={on}
          class={['choice w-full', on && 'font-semibold']}
          onclick={() => choose(option.value, close)}><ChoiceWords {option} {on} /></button
        >
      {/each}
    </div>
  {/if}
  <form
    class="mt-1 flex flex-wrap items-baseline gap-2 border-t border-base-300 px-2 pt-2"
    onsubmit={(event) => used(event, close)}
  >
    <label for={field}>{typed.label}</label>
    {#if typed.kind === 'number'}
      <NumberInput
        id={field}
        bind:value={() => draft ?? usual, (text) => (draft = text)}
        required
        least={typed.least}
        most={typed.most}
        placeholder={typed.example}
      />
    {:else if typed.kind === 'date'}
      <DateInput id={field} bind:value={() => draft ?? usual, (text) => (draft = text)} required />
    {:else}
      <input
        id={field}
        type="text"
        class="input input-sm w-40"
        maxlength="120"
        bind:value={() => draft ?? usual, (text) => (draft = text)}
        placeholder={typed.example}
      />
    {/if}
    <button class="btn btn-sm">Apply</button>
  </form>
{/snippet}

<WordPanel {text} {title} {panel} />
