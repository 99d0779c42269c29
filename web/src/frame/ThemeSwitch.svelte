<script lang="ts">
  import { MediaQuery } from 'svelte/reactivity';

  const KEY = 'goldthread-theme';
  let theme = $state(localStorage.getItem(KEY) ?? 'linen');
  const other = $derived(theme === 'linen' ? 'evening' : 'linen');

  /** Paper is light, whatever the room is. */
  const printed = new MediaQuery('print');

  $effect(() => {
    document.documentElement.dataset.theme = printed.current ? 'linen' : theme;
    localStorage.setItem(KEY, theme);
  });
</script>

<button class="btn btn-ghost btn-sm text-sm font-normal" onclick={() => (theme = other)}>
  {other === 'evening' ? 'Evening' : 'Linen'}
</button>
