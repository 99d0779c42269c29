<script lang="ts">
  import { tick } from 'svelte';
  import { api, answerOf, type Schemas } from '$lib/api/client';

  interface Props {
    book: number;
    text: string;
    onchoose: (text: string) => void;
  }
  let { book, text, onchoose }: Props = $props();
  let input: HTMLTextAreaElement;
  // what is typed is kept until it is used, whatever comes from outside
  // svelte-ignore state_referenced_locally
  let typed = $state(text);
  let checked = $state.raw<Schemas['ConditionShape']>();
  let at = $state(-1);
  let answered = $state('');
  let request = new AbortController();
  // what was offered for other letters must not be taken for these
  const offered = $derived(answered === typed ? (checked?.completions ?? []) : []);
  const error = $derived(typed.trim() && answered === typed ? checked?.error : null);
  const wrongFrom = $derived(error?.at ?? 0);

  async function check(): Promise<void> {
    request.abort();
    request = new AbortController();
    const query = { text: typed, at: input.selectionStart };
    try {
      checked = await answerOf(
        api.GET('/api/books/{book}/condition', { params: { path: { book }, query }, signal: request.signal }),
      );
      answered = query.text;
      at = -1;
    } catch {
      // the next letter asks again
    }
  }

  function complete(completion: Schemas['CompletionShape']): void {
    const after = typed.slice(input.selectionStart);
    typed = `${typed.slice(0, completion.start)}${completion.text} `;
    const place = typed.length;
    typed += after.trimStart();
    void tick().then(() => {
      input.focus();
      input.setSelectionRange(place, place);
      void check();
    });
  }

  async function use(): Promise<void> {
    await check();
    if (!typed.trim() || (checked && !checked.error)) onchoose(typed.trim());
  }

  async function completeBest(): Promise<void> {
    if (answered !== typed) await check();
    const best = offered[Math.max(0, at)];
    if (best) complete(best);
  }

  function pressed(event: KeyboardEvent): void {
    const chosen = offered[at];
    if (event.key === 'ArrowDown' && offered.length > 0) at = (at + 1) % offered.length;
    else if (event.key === 'ArrowUp' && offered.length > 0) at = (at + offered.length - 1) % offered.length;
    else if (event.key === 'Tab' && !event.shiftKey && typed) void completeBest();
    else if (event.key === 'Enter' && chosen) complete(chosen);
    else if (event.key === 'Enter') void use();
    else return;
    event.preventDefault();
    event.stopPropagation();
  }
</script>

<div class="grid gap-1">
  <textarea
    bind:this={input}
    bind:value={typed}
    class="textarea textarea-sm w-full font-mono text-sm"
    rows="2"
    maxlength="4000"
    aria-label="Condition as CQL2 text"
    aria-invalid={error ? 'true' : undefined}
    aria-describedby="condition-error"
    placeholder="region = 'Coast' AND (amount >= 200 OR name = 'O''Hara')"
    spellcheck="false"
    onfocus={check}
    oninput={check}
    onkeydown={pressed}></textarea>
  <p id="condition-error" role="alert" class="text-sm text-error">
    {#if error}
      <code class="block truncate" aria-hidden="true"
        >{typed.slice(Math.max(0, wrongFrom - 24), wrongFrom)}<mark
          >{typed.slice(wrongFrom, wrongFrom + 12) || '▯'}</mark
        ></code
      >
      Character {wrongFrom + 1}: {error.detail}
      {error.remedy}
    {/if}
  </p>
  {#if offered.length > 0}
    <ul role="listbox" aria-label="What may come next" class="flex flex-wrap gap-1">
      {#each offered as each, place (each.text)}
        <li role="option" aria-selected={place === at}>
          <button
            type="button"
            tabindex="-1"
            class="rounded-selector border border-base-300 px-1.5 text-sm"
            class:bg-base-200={place === at}
            onclick={() => complete(each)}
            >{each.text}{#if each.title && each.title !== each.text && !each.text.startsWith("'")}<span
                class="quiet"
              >
                {each.title}</span
              >{/if}</button
          >
        </li>
      {/each}
    </ul>
  {/if}
  {#if checked?.words && answered === typed}<p class="quiet text-sm">It says: {checked.words}.</p>{/if}
  <div><button type="button" class="btn btn-sm btn-primary" onclick={use}>Apply</button></div>
</div>

<style>
  mark {
    background: color-mix(in oklab, var(--color-error) 25%, transparent);
    color: inherit;
  }
</style>
