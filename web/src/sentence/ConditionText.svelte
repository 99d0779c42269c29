<script lang="ts">
  import { tick } from 'svelte';
  import { api, answerOf, problemOf, type Problem, type Schemas } from '$lib/api/client';
  import { said } from '$lib/format/reader';
  import ProblemNote from '$src/notes/ProblemNote.svelte';

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
  let problem = $state.raw<Problem>();
  const listed = $props.id();
  let request = new AbortController();
  // what was offered for other letters must not be taken for these
  const offered = $derived(answered === typed ? (checked?.completions ?? []) : []);
  const error = $derived(typed.trim() && answered === typed ? checked?.error : null);
  const wrongFrom = $derived(error?.at ?? 0);

  async function check(): Promise<void> {
    request.abort();
    request = new AbortController();
    const { signal } = request;
    const query = { text: typed, at: input.selectionStart };
    try {
      checked = await answerOf(
        api.GET('/api/books/{book}/condition', { params: { path: { book }, query }, signal }),
      );
      answered = query.text;
      at = -1;
      problem = undefined;
    } catch (failed) {
      // another letter has asked meanwhile
      if (signal.aborted) return;
      problem = problemOf(failed);
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
    if (!typed.trim() || (answered === typed && checked && !checked.error)) onchoose(typed.trim());
  }

  function pressed(event: KeyboardEvent): void {
    const chosen = offered[at];
    if (event.key === 'ArrowDown' && offered.length > 0) at = (at + 1) % offered.length;
    else if (event.key === 'ArrowUp' && offered.length > 0) at = (at + offered.length - 1) % offered.length;
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
    role="combobox"
    aria-label="Condition as CQL2 text"
    aria-invalid={error ? 'true' : undefined}
    aria-describedby="{listed}-error"
    aria-autocomplete="list"
    aria-controls={listed}
    aria-expanded={offered.length > 0}
    aria-activedescendant={at >= 0 && offered[at] ? `${listed}-${at}` : undefined}
    placeholder="region = 'Coast' AND (amount >= 200 OR name = 'O''Hara')"
    spellcheck="false"
    onfocus={check}
    oninput={check}
    onkeydown={pressed}></textarea>
  {#if problem}<ProblemNote {problem} />{/if}
  <p id="{listed}-error" role="alert" class="text-sm text-error">
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
    <ul id={listed} role="listbox" aria-label="What may come next" class="flex flex-wrap gap-1">
      {#each offered as each, place (place)}
        <li id="{listed}-{place}" role="option" aria-selected={place === at}>
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
  {#if checked?.words && answered === typed}<p class="quiet text-sm">It says: {said(checked.words)}.</p>{/if}
  <div><button type="button" class="btn btn-sm btn-primary" onclick={use}>Apply</button></div>
</div>

<style>
  mark {
    background: color-mix(in oklab, var(--color-error) 25%, transparent);
    color: inherit;
  }
</style>
