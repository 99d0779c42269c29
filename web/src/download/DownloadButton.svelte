<script lang="ts">
  import type { Snippet } from 'svelte';
  import { Download } from './download.svelte';
  import DownloadState from './DownloadState.svelte';

  interface Props {
    /** The address of the file. */
    file: string;
    /** What is asked for where the address gives several forms. */
    accept?: string;
    look?: string;
    disabled?: boolean;
    children: Snippet;
  }
  let { file, accept = 'text/csv', look = 'word', disabled = false, children }: Props = $props();
  const download = new Download();
</script>

<button
  type="button"
  class={look}
  disabled={disabled || download.making}
  onclick={() => download.fetch(file, accept)}>{@render children()}</button
><DownloadState {download} />
