<script lang="ts">
  import type { Snippet } from 'svelte';

  let { tone, hatched = false, children }: { tone: number; hatched?: boolean; children: Snippet } = $props();
</script>

<span class="inline-flex items-center gap-1.5 whitespace-nowrap">
  <span class="ramp-{tone} box" class:hatched aria-hidden="true"></span>{@render children()}
</span>

<style>
  .box {
    width: 14px;
    height: 12px;
    flex: none;
    border: 1px solid var(--color-neutral);
  }
  .hatched {
    background-image: repeating-linear-gradient(135deg, transparent 0 3px, var(--hatch) 3px 5px);
  }
</style>
