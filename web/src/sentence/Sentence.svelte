<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import WordMenu from './WordMenu.svelte';

  interface Props {
    parts: Schemas['PartShape'][];
    controls: Schemas['ControlShape'][];
    onchoose: (name: string, values: string[]) => void;
  }
  let { parts, controls, onchoose }: Props = $props();
  const byName = $derived(new Map(controls.map((control) => [control.name, control])));
</script>

{#each parts as part, place (place)}
  {@const control = part.control ? byName.get(part.control) : undefined}
  {#if control}
    {#snippet exactDate(close: () => void)}
      <label class="flex items-center gap-2">
        a date
        <input
          type="date"
          class="input input-sm w-40"
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
    <WordMenu
      text={part.text}
      title={control.title}
      chosen={control.chosen}
      options={control.options}
      several={control.several}
      onchoose={(values) => onchoose(control.name, values)}
      {...control.name === 'as_of' ? { further: exactDate } : {}}
    />
  {:else}{part.text}{/if}
{/each}
