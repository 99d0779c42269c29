<script lang="ts">
  import type { Typed } from '$lib/format/reader';

  /** A value as the reader writes it; what it was taken for stands below it, or why it is none. */
  interface Props {
    /** The value as the server writes it; empty while nothing, or nothing that can be read, is typed. */
    value: string;
    read: (text: string) => Typed;
    show: (value: string) => string;
    label?: string | undefined;
    id?: string | undefined;
    required?: boolean;
    placeholder?: string | undefined;
    numeric?: boolean;
    look?: string;
  }
  let {
    value = $bindable(''),
    read,
    show,
    label,
    id,
    required = false,
    placeholder,
    numeric = false,
    look = 'input-sm w-40',
  }: Props = $props();

  const hint = $props.id();
  let given = '';
  let text = $state('');
  let input = $state<HTMLInputElement>();
  // what comes from outside is shown as the reader writes it
  $effect.pre(() => {
    if (value !== given) text = value && show(value);
    given = value;
  });
  const typed = $derived<Typed | undefined>(text.trim() ? read(text) : undefined);
  const taken = $derived(typed?.value === undefined ? '' : show(typed.value));
  $effect(() => input?.setCustomValidity(typed?.problem ?? ''));
</script>

<span class="inline-grid">
  <input
    bind:this={input}
    {id}
    class="input {look}"
    type="text"
    inputmode={numeric ? 'decimal' : undefined}
    autocomplete="off"
    maxlength="60"
    aria-label={label}
    aria-invalid={typed?.problem ? 'true' : undefined}
    aria-describedby={hint}
    {required}
    {placeholder}
    value={text}
    oninput={(event) => {
      text = event.currentTarget.value;
      given = value = typed?.value ?? '';
    }}
  />
  <span id={hint} class={['max-w-64 text-sm', typed?.problem ? 'text-error' : 'quiet']} aria-live="polite"
    >{#if typed?.problem}{typed.problem}{:else if taken && taken !== text.trim()}read as {taken}{/if}</span
  >
</span>
