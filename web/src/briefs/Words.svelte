<script lang="ts">
  import type { Schemas } from '$lib/api/client';

  /** What somebody wrote, drawn of its parts: what looks like HTML stays the text it is. */
  let { blocks }: { blocks: Schemas['BlockShape'][] } = $props();
</script>

{#each blocks as { mark, runs }, at (at)}
  <p class={['break-words', mark && 'pl-5 -indent-4']}>
    {#if mark}{mark}&nbsp;{/if}{#each runs as { text, strong, emphasised }, place (place)}{#if text === '\n'}<br
        />{:else}<span class:font-semibold={strong} class:italic={emphasised}>{text}</span>{/if}{/each}
  </p>
{/each}
