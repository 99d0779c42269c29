<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import WordMenu from '$src/sentence/WordMenu.svelte';
  import type { Intake } from './intake.svelte';
  import {
    DATE_WORDS,
    DECIMAL_WORDS,
    HAS,
    KEY_WORDS,
    KIND_WORDS,
    YEAR_WORDS,
    type DateForm,
    type DecimalMark,
    type FileKind,
    type TwoDigitYears,
  } from './meanings';

  let { intake, file, sources }: { intake: Intake; file: Schemas['FileShape']; sources: string[] } = $props();

  const listed = (words: Record<string, string>) =>
    Object.entries(words).map(([value, label]) => ({ value, label }));
  const keys = listed(KEY_WORDS);
  const dates = listed(DATE_WORDS);
  const decimals = listed(DECIMAL_WORDS);
  const years = listed(YEAR_WORDS);
  const kinds = $derived(file.kinds.map((kind) => ({ value: kind as string, label: KIND_WORDS[kind] })));
  const known = $derived([...new Set([...sources, ...(intake.source ? [intake.source] : [])])]);
  const has = $derived(HAS[file.kind]);

  function choose(name: string | undefined): void {
    if (name && name !== intake.source) void intake.look({ source: name });
  }
</script>

<span>
  Bring <b class="font-semibold">{file.file_name}</b>{#if file.sheets.length > 1}, sheet
    <WordMenu
      text={file.sheet}
      title="Sheet"
      chosen={[file.sheet]}
      options={file.sheets.map((name) => ({ value: name, label: name }))}
      onchoose={([sheet]) => intake.look({ sheet: sheet ?? '' })}
    />,{/if} into
  {#snippet newSource(close: () => void)}
    <label class="grid gap-1">
      another source
      <input
        class="input input-sm"
        placeholder="such as web shop"
        maxlength="120"
        onkeydown={(event) => {
          const name = event.currentTarget.value.trim();
          if (event.key !== 'Enter' || !name) return;
          event.preventDefault();
          event.stopPropagation();
          choose(name);
          close();
        }}
        onblur={(event) => choose(event.currentTarget.value.trim())}
      />
    </label>
  {/snippet}
  <WordMenu
    text={intake.source || 'which source?'}
    title="Source"
    chosen={[intake.source]}
    options={known.map((name) => ({ value: name, label: name }))}
    onchoose={([name]) => choose(name)}
    further={newSource}
  />
  as
  <WordMenu
    text={KIND_WORDS[file.kind]}
    title="What a row is"
    chosen={[file.kind]}
    options={kinds}
    onchoose={([kind]) => intake.look({ kind: kind as FileKind })}
  />{#if has.key}, customers known by
    <WordMenu
      text={KEY_WORDS[intake.customerKey]}
      title="What customers are known by"
      chosen={[intake.customerKey]}
      options={keys}
      onchoose={([key]) => intake.say({ key: key as Schemas['KeyKind'] })}
    />{/if}{#if has.date}, dates read as
    <WordMenu
      text={intake.dates ? DATE_WORDS[intake.dates] : 'day or month first?'}
      title="How dates are read"
      chosen={[intake.dates ?? '']}
      options={dates}
      onchoose={([form]) => intake.say({ dates: form as DateForm })}
    />{/if}{#if has.date && file.short_year}, years such as in {file.short_year} as
    <WordMenu
      text={intake.years ? YEAR_WORDS[intake.years] : 'unclear'}
      title="Years of two digits"
      chosen={[intake.years ?? '']}
      options={years}
      onchoose={([form]) => intake.say({ years: form as TwoDigitYears })}
    />{/if}{#if has.amount}, amounts with
    <WordMenu
      text={intake.decimal ? DECIMAL_WORDS[intake.decimal] : 'point or comma?'}
      title="What stands before decimals"
      chosen={[intake.decimal ?? '']}
      options={decimals}
      onchoose={([mark]) => intake.say({ decimal: mark as DecimalMark })}
    />{/if}.
</span>
