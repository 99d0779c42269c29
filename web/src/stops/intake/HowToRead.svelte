<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import WordMenu from '$src/sentence/WordMenu.svelte';
  import type { Intake } from './intake.svelte';
  import {
    DATE_WORDS,
    DECIMAL_WORDS,
    KEY_WORDS,
    KIND_WORDS,
    type DateForm,
    type DecimalMark,
    type FileKind,
  } from './meanings';

  let { intake, file, sources }: { intake: Intake; file: Schemas['FileShape']; sources: string[] } = $props();

  const kinds = Object.entries(KIND_WORDS).map(([value, label]) => ({ value, label }));
  const keys = Object.entries(KEY_WORDS).map(([value, label]) => ({ value, label }));
  const dates = Object.entries(DATE_WORDS).map(([value, label]) => ({ value, label }));
  const decimals = Object.entries(DECIMAL_WORDS).map(([value, label]) => ({ value, label }));
  const known = $derived([...new Set([...sources, ...(intake.source ? [intake.source] : [])])]);
</script>

<span>
  Bring <b class="font-semibold">{file.file_name}</b> into
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
          intake.source = name;
          close();
        }}
        onblur={(event) => {
          const name = event.currentTarget.value.trim();
          if (name) intake.source = name;
        }}
      />
    </label>
  {/snippet}
  <WordMenu
    text={intake.source || 'which source?'}
    title="Source"
    chosen={[intake.source]}
    options={known.map((name) => ({ value: name, label: name }))}
    onchoose={([name]) => (intake.source = name ?? '')}
    further={newSource}
  />
  as
  <WordMenu
    text={KIND_WORDS[file.kind]}
    title="What a row is"
    chosen={[file.kind]}
    options={kinds}
    onchoose={([kind]) => intake.setKind(kind as FileKind)}
  />{#if file.kind !== 'customers'}, customers known by
    <WordMenu
      text={KEY_WORDS[intake.customerKey]}
      title="What customers are known by"
      chosen={[intake.customerKey]}
      options={keys}
      onchoose={([key]) => (intake.customerKey = key as Schemas['KeyKind'])}
    />, dates read as
    <WordMenu
      text={intake.dates ? DATE_WORDS[intake.dates] : 'day or month first?'}
      title="How dates are read"
      chosen={[intake.dates ?? '']}
      options={dates}
      onchoose={([form]) => (intake.toldDates = form as DateForm)}
    />, amounts with
    <WordMenu
      text={intake.decimal ? DECIMAL_WORDS[intake.decimal] : 'point or comma?'}
      title="What stands before decimals"
      chosen={[intake.decimal ?? '']}
      options={decimals}
      onchoose={([mark]) => (intake.toldDecimal = mark as DecimalMark)}
    />{/if}.
</span>
