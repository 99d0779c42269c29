<script lang="ts">
  import WordMenu from '$src/menus/WordMenu.svelte';
  import type { Intake } from './importing.svelte';

  /** Rows straight from a database that the settings name. */
  let { intake, databases }: { intake: Intake; databases: string[] } = $props();
  let chosen = $state<string>();
  let query = $state('');
  const database = $derived(chosen ?? databases[0] ?? '');

  function asked(event: SubmitEvent): void {
    event.preventDefault();
    if (query.trim()) void intake.ask(database, query);
  }
</script>

<form class="grid shrink-0 gap-1 px-1 pb-1" onsubmit={asked}>
  <p class="quiet text-sm">
    or take rows from the database
    <WordMenu
      text={database}
      title="Database"
      chosen={[database]}
      options={databases.map((name) => ({ value: name, label: name }))}
      onchoose={([name]) => (chosen = name)}
    />, which is only read
  </p>
  <div class="flex items-end gap-3">
    <textarea
      class="textarea min-h-20 w-full resize-y font-mono text-sm"
      aria-label="Query (SQL)"
      placeholder="SELECT …"
      maxlength={100_000}
      bind:value={query}
      disabled={intake.sending !== ''}></textarea>
    <button class="btn btn-sm btn-primary" disabled={intake.sending !== '' || !query.trim()}>Run query</button
    >
  </div>
</form>
