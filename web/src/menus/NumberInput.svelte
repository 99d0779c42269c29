<script lang="ts">
  import { readNumber, written } from '$lib/format/reader';

  /** A number as the reader writes it; what it was taken for stands below it. */
  interface Props {
    /** Plain decimal text; empty while nothing, or no number, is typed. */
    value: string;
    label?: string;
    id?: string | undefined;
    required?: boolean;
    placeholder?: string | undefined;
    least?: number | null | undefined;
    most?: number | null | undefined;
    look?: string;
  }
  let {
    value = $bindable(''),
    label,
    id,
    required = false,
    placeholder,
    least = null,
    most = null,
    look = 'input-sm w-40',
  }: Props = $props();

  const hint = $props.id();
  let given = '';
  let text = $state('');
  let input = $state<HTMLInputElement>();
  // what comes from outside is shown as the reader writes it
  $effect.pre(() => {
    if (value !== given) text = written(value.replace('-', '−'));
    given = value;
  });
  const typed = $derived(text.trim() ? readNumber(text) : undefined);
  const problem = $derived.by(() => {
    if (typed?.value === undefined) return typed?.problem ?? '';
    const number = Number(typed.value);
    if (least !== null && number < least) return `It is at least ${written(String(least))}.`;
    return most !== null && number > most ? `It is at most ${written(String(most))}.` : '';
  });
  const taken = $derived(
    !problem && typed?.value !== undefined ? written(typed.value.replace('-', '−')) : '',
  );
  $effect(() => input?.setCustomValidity(problem));
</script>

<span class="inline-grid">
  <input
    bind:this={input}
    {id}
    class="input {look}"
    type="text"
    inputmode="decimal"
    autocomplete="off"
    maxlength="60"
    aria-label={label}
    aria-invalid={problem ? 'true' : undefined}
    aria-describedby={hint}
    {required}
    {placeholder}
    value={text}
    oninput={(event) => {
      text = event.currentTarget.value;
      given = value = (text.trim() && readNumber(text).value) || '';
    }}
  />
  <span id={hint} class={['max-w-64 text-sm', problem ? 'text-error' : 'quiet']} aria-live="polite"
    >{#if problem}{problem}{:else if taken && taken !== text.trim()}read as {taken}{/if}</span
  >
</span>
