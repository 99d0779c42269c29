<script lang="ts">
  import type { Choice } from './choice';

  let { option, on, square = false }: { option: Choice; on: boolean; square?: boolean } = $props();
</script>

<span aria-hidden="true" class="mark" class:on class:square></span><span>{option.label}</span
>{#if option.term}<span class="quiet ml-auto pl-6 text-sm font-normal">{option.term}</span>{/if}

<style>
  .mark {
    width: 10px;
    height: 10px;
    flex: none;
    border: 1.5px solid var(--gold);
    border-radius: 50%;
  }
  .mark.square {
    border-radius: 2px;
  }
  .mark.on {
    background: var(--gold);
  }
</style>
