<script lang="ts">
  import { useQueryClient } from '@tanstack/svelte-query';
  import { api, type Schemas } from '$lib/api/client';
  import { address } from '$lib/address.svelte';
  import ConditionMenu from './ConditionMenu.svelte';
  import WordMenu from './WordMenu.svelte';
  import WordPanel from './WordPanel.svelte';

  interface Props {
    parts: Schemas['PartShape'][];
    controls: Schemas['ControlShape'][];
    onchoose: (name: string, values: string[]) => void;
  }
  let { parts, controls, onchoose }: Props = $props();
  const client = useQueryClient();
  const LET_GO = 'let-go';
  /** Words that can also be typed. */
  const EXACT: Record<string, { type: string; label: string }> = {
    as_of: { type: 'date', label: 'a date' },
    margin: { type: 'number', label: 'percent' },
    cac: { type: 'number', label: 'an amount' },
  };

  async function choose(control: Schemas['ControlShape'], values: string[]): Promise<void> {
    const book = address.book;
    if (control.name !== 'held' || values[0] !== LET_GO || book === undefined) {
      onchoose(control.name, values);
      return;
    }
    const hold = Number(control.chosen[0]);
    onchoose(control.name, ['']);
    await api.DELETE('/api/books/{book}/holds/{hold}', { params: { path: { book, hold } } });
    await client.invalidateQueries();
  }

  const byName = $derived(new Map(controls.map((control) => [control.name, control])));
</script>

{#each parts as part, place (place)}
  {@const control = part.control ? byName.get(part.control) : undefined}
  {#if control}
    {@const exact = EXACT[control.name]}
    {#snippet typed(close: () => void)}
      <label class="flex items-center gap-2">
        {exact?.label}
        <input
          type={exact?.type}
          class="input input-sm w-40"
          min={exact?.type === 'number' ? 0 : undefined}
          max={control.name === 'margin' ? 100 : undefined}
          step={exact?.type === 'number' ? 'any' : undefined}
          value={control.chosen[0]}
          onchange={(event) => {
            const value = event.currentTarget.value;
            if (value) {
              close();
              onchoose(control.name, [value]);
            }
          }}
        />
      </label>
    {/snippet}
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
    {:else}
      <WordMenu
        text={part.text}
        title={control.title}
        chosen={control.chosen}
        options={control.options}
        several={control.several}
        onchoose={(values) => choose(control, values)}
        {...exact ? { further: typed } : {}}
      />
    {/if}
  {:else}{part.text}{/if}
{/each}
