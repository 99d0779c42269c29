<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { counted } from '$lib/format/figures';
  import WordMenu from '$src/sentence/WordMenu.svelte';
  import type { Intake } from './intake.svelte';
  import { MEANING_WORDS, type Meaning } from './meanings';

  let { intake, file }: { intake: Intake; file: Schemas['FileShape'] } = $props();

  const NONE = 'none';
  const unread = $derived(file.kind === 'customers' ? 'kept as an attribute' : 'not read');
  const options = $derived([
    ...[...file.needed, ...file.optional].map((meaning) => ({
      value: meaning as string,
      label: MEANING_WORDS[meaning],
    })),
    { value: NONE, label: unread },
  ]);
  const numeric = $derived(new Set([intake.columns.amount, intake.columns.quantity]));
</script>

<div class="min-h-48 overflow-x-auto rounded-box border border-base-300 bg-base-100">
  <table class="w-full border-collapse">
    <thead>
      <tr class="bg-base-200 align-bottom">
        {#each file.header as column (column)}
          {@const meaning = intake.meaningOf(column)}
          <th class="px-3 py-2 text-left font-normal whitespace-nowrap">
            <WordMenu
              text={meaning ? MEANING_WORDS[meaning] : unread}
              title="The column “{column}” tells"
              chosen={[meaning ?? NONE]}
              {options}
              quiet={!meaning}
              onchoose={([value]) => intake.setMeaning(column, value === NONE ? null : (value as Meaning))}
            />
          </th>
        {/each}
      </tr>
      <tr class="border-y-2 border-y-[var(--gold)]">
        {#each file.header as column (column)}
          <th
            scope="col"
            class="px-3 py-1.5 text-left font-semibold whitespace-nowrap"
            class:text-right={numeric.has(column)}>{column}</th
          >
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each file.first_rows as row, place (place)}
        <tr class="border-b border-base-300 last:border-0">
          {#each file.header as column, at (column)}
            <td
              class="max-w-64 truncate px-3 py-1.5 whitespace-pre"
              class:quiet={!intake.meaningOf(column)}
              class:text-right={numeric.has(column)}>{row[at] ?? ''}</td
            >
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
<p class="quiet text-sm">
  The first {file.first_rows.length} of about {counted(file.row_estimate, 'row')}, as they stand in the file,
  written in {file.encoding}. Over each column, what it is read as: one click changes it.
</p>
