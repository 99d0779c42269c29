<script lang="ts">
  const KEY = 'goldthread-theme';
  let theme = $state(localStorage.getItem(KEY) ?? 'linen');
  const other = $derived(theme === 'linen' ? 'evening' : 'linen');

  $effect(() => {
    document.documentElement.dataset.theme = theme;
    localStorage.setItem(KEY, theme);
  });
</script>

<button class="btn btn-ghost btn-sm text-sm font-normal" onclick={() => (theme = other)}>
  {other === 'evening' ? 'Evening' : 'Linen'}
</button>
