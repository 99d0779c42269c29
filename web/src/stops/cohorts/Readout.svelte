<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import type { Pointed } from './pointed';
  import { describe } from './readings';

  let { answer, pointed }: { answer: Schemas['CohortsShape']; pointed: Pointed | null } = $props();
  const words = $derived(pointed ? describe(answer, pointed) : '');
</script>

<p class="mt-1 h-6 shrink-0 truncate text-sm" aria-live="polite" title={words}>
  {#if words}{words}{:else}<span class="quiet not-printed"
      >Point at a cell to read it, click it to see who stands behind it.</span
    >{/if}
</p>
