<script lang="ts">
  import { useCommand } from '$lib/commands.svelte';
  import type { Stop } from './stop';

  let { stops }: { stops: readonly Stop[] } = $props();
  let open = $state(false);
  /** What is in it comes with the first time that it is opened. */
  let wanted = $state(false);

  function show(): void {
    wanted = open = true;
  }
  useCommand('showSettings', show);
</script>

<button class="btn btn-ghost btn-sm text-sm font-normal" aria-haspopup="dialog" onclick={show}
  >Settings <kbd class="kbd kbd-sm">?</kbd></button
>
{#if wanted}
  {#await import('./SettingsDialog.svelte') then { default: SettingsDialog }}
    <SettingsDialog {stops} bind:open />
  {/await}
{/if}
