<script lang="ts">
  import { Dialog } from 'bits-ui';
  import { COMMANDS, commands } from '$lib/commands.svelte';
  import { choose, DATE_FORMS, NUMBER_FORMS, reader, WEEKS } from '$lib/format/reader';
  import { themes, type Theme } from '$lib/theme.svelte';
  import type { Stop } from './stop';

  let { stops, open = $bindable() }: { stops: readonly Stop[]; open: boolean } = $props();
  const id = $props.id();
  const CHOICES = [
    { name: 'numbers', label: 'Numbers', options: Object.keys(NUMBER_FORMS) },
    { name: 'dates', label: 'Dates', options: DATE_FORMS },
    { name: 'week', label: 'Weeks begin on', options: WEEKS },
  ] as const;
  const keys = $derived([
    ...stops.map(({ title }, at) => ({ shown: String(at + 1), words: `go to ${title}` })),
    ...Object.values(COMMANDS),
    { shown: 'c x n z', words: 'in the rows of a list: contacted, leave out, note, undo' },
  ]);
</script>

<Dialog.Root bind:open>
  <Dialog.Overlay class="fixed inset-0 z-40 bg-black/30" />
  <Dialog.Content
    class="fixed top-1/2 left-1/2 z-50 max-h-[92vh] w-[24rem] max-w-[94vw] -translate-x-1/2 -translate-y-1/2 overflow-y-auto rounded-box border border-base-300 bg-base-100 p-5"
    preventScroll={false}
  >
    <Dialog.Title class="mb-3 font-serif text-xl font-semibold">Settings and keys</Dialog.Title>
    <div class="mb-4 grid grid-cols-[7rem_1fr] items-center gap-2">
      {#each CHOICES as { name, label, options } (name)}
        <label for="{id}-{name}">{label}</label>
        <select
          id="{id}-{name}"
          class="select select-sm"
          value={reader[name]}
          onchange={(event) => choose({ [name]: event.currentTarget.value })}
        >
          {#each options as option (option)}<option>{option}</option>{/each}
        </select>
      {/each}
      <label for="{id}-theme">Theme</label>
      <select
        id="{id}-theme"
        class="select select-sm"
        value={themes.chosen}
        onchange={(event) => themes.choose(event.currentTarget.value as Theme | '')}
      >
        <option value="">as the system is</option><option value="light">light</option><option value="dark"
          >dark</option
        >
      </select>
    </div>
    <dl class="grid grid-cols-[7rem_1fr] gap-y-2">
      {#each keys as { shown, words } (shown)}
        <dt><kbd class="kbd kbd-sm">{shown}</kbd></dt>
        <dd>{words}</dd>
      {/each}
    </dl>
    <label class="mt-4 flex items-center gap-2">
      <input
        type="checkbox"
        class="checkbox checkbox-sm"
        checked={commands.single}
        onchange={(event) => commands.allowSingle(event.currentTarget.checked)}
      />
      Single-key shortcuts are on
    </label>
    <p class="mt-4"><Dialog.Close class="btn btn-sm">Close</Dialog.Close></p>
  </Dialog.Content>
</Dialog.Root>
