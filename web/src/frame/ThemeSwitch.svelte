<script lang="ts">
  import { themes } from '$lib/theme.svelte';

  const other = $derived(themes.shown === 'light' ? 'dark' : 'light');

  $effect(() => {
    document.documentElement.dataset.theme = themes.name;
  });
</script>

<button class="btn btn-ghost btn-sm text-sm font-normal" onclick={() => themes.choose(other)}>
  {other === 'dark' ? 'Dark' : 'Light'}
</button>
