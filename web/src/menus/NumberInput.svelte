<script lang="ts">
  import type { ComponentProps } from 'svelte';
  import { readNumber, written, type Typed } from '$lib/format/reader';
  import TypedInput from './TypedInput.svelte';

  /** A number as the reader writes it. Its value is plain decimal text. */
  interface Props extends Omit<ComponentProps<typeof TypedInput>, 'read' | 'show' | 'numeric'> {
    least?: number | null | undefined;
    most?: number | null | undefined;
  }
  let { value = $bindable(''), least = null, most = null, ...rest }: Props = $props();

  function read(text: string): Typed {
    const typed = readNumber(text);
    if (typed.value === undefined) return typed;
    const number = Number(typed.value);
    if (least !== null && number < least) return { problem: `It is at least ${written(String(least))}.` };
    if (most !== null && number > most) return { problem: `It is at most ${written(String(most))}.` };
    return typed;
  }
</script>

<TypedInput {...rest} bind:value {read} show={(value) => written(value.replace('-', '−'))} numeric />
