<script lang="ts">
  /** The address of what is shown, to send or keep: it holds every choice. */
  let told = $state('');

  async function copy(): Promise<void> {
    try {
      await navigator.clipboard.writeText(location.href);
      told = 'copied';
    } catch {
      told = 'not allowed here';
    }
  }
</script>

<span class="not-printed"
  ><button type="button" class="word" onclick={copy}>copy link</button><span class="quiet" aria-live="polite"
    >{told && ` ${told}`}</span
  ></span
>
