<script lang="ts">
  import type { ComponentProps } from 'svelte';
  import { dateTyped } from '$lib/format/dates';
  import { readDate, reader } from '$lib/format/reader';
  import TypedInput from './TypedInput.svelte';

  /** A date as the reader writes it, typed or pointed at in a calendar. Its value is in ISO form, with the time of day
   * after it where that was typed. */
  type Props = Omit<ComponentProps<typeof TypedInput>, 'read' | 'show' | 'numeric'>;
  let { value = $bindable(''), ...rest }: Props = $props();
  let pointing = $state(false);
</script>

<span class="inline-grid justify-items-start gap-1">
  <span class="inline-flex items-start gap-2">
    <TypedInput placeholder={reader.dates} {...rest} bind:value read={readDate} show={dateTyped} />
    <button
      type="button"
      class="word min-h-8 text-sm not-printed"
      aria-expanded={pointing}
      onclick={() => (pointing = !pointing)}>calendar</button
    >
  </span>
  {#if pointing}
    {#await import('./DateCalendar.svelte') then { default: DateCalendar }}
      <DateCalendar
        value={value.slice(0, 10)}
        onchoose={(day) => {
          pointing = false;
          value = day;
        }}
      />
    {/await}
  {/if}
</span>
