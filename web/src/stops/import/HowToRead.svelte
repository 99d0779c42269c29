<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import TypedWord from '$src/menus/TypedWord.svelte';
  import WordMenu from '$src/menus/WordMenu.svelte';
  import type { WaitingFile } from './waitingFile.svelte';
  import {
    DATE_WORDS,
    DECIMAL_WORDS,
    HAS,
    KEY_WORDS,
    KIND_WORDS,
    ORDERS_BY_WORDS,
    YEAR_WORDS,
    type DateForm,
    type DecimalMark,
    type FileKind,
    type OrdersBy,
    type TwoDigitYears,
  } from './meanings';

  let { waiting, sources }: { waiting: WaitingFile; sources: string[] } = $props();
  const file = $derived(waiting.file);

  const listed = (words: Record<string, string>) =>
    Object.entries(words).map(([value, label]) => ({ value, label }));
  const keys = listed(KEY_WORDS);
  const dates = listed(DATE_WORDS);
  const decimals = listed(DECIMAL_WORDS);
  const years = listed(YEAR_WORDS);
  const ordersBy = listed(ORDERS_BY_WORDS);
  const kinds = $derived(
    file.kinds.map((kind) => ({ value: kind, label: KIND_WORDS[kind], term: file.others[kind] ?? '' })),
  );
  const known = $derived([...new Set([...sources, ...(waiting.source ? [waiting.source] : [])])]);
  const has = $derived(HAS[file.kind]);

  function sheetTerm(name: string): string {
    const other = file.other_sheets.find((sheet) => sheet.name === name);
    return other ? KIND_WORDS[other.kind] : '';
  }
  function choose(name: string): void {
    if (name !== waiting.source) void waiting.look({ source: name });
  }
</script>

<span>
  Import <b class="font-semibold">{file.file_name}</b>{#if file.sheets.length > 1}, sheet
    <WordMenu
      text={file.sheet}
      title="Sheet"
      chosen={[file.sheet]}
      options={file.sheets.map((name) => ({ value: name, label: name, term: sheetTerm(name) }))}
      onchoose={([sheet]) => void waiting.look({ sheet: sheet ?? '' })}
    />,{/if} into
  <TypedWord
    text={waiting.source || 'which source?'}
    title="Source"
    chosen={waiting.source}
    options={known.map((name) => ({ value: name, label: name }))}
    typed={{ kind: 'text', label: 'another source', example: 'such as web shop' }}
    onchoose={choose}
  />
  as
  <WordMenu
    text={KIND_WORDS[file.kind]}
    title="What a row is"
    chosen={[file.kind]}
    options={kinds}
    onchoose={([kind]) => void waiting.look({ kind: kind as FileKind })}
  />{#if waiting.makesOrders}, an order being the lines of
    <WordMenu
      text={ORDERS_BY_WORDS[waiting.ordersBy]}
      title="What makes lines one order"
      chosen={[waiting.ordersBy]}
      options={ordersBy}
      onchoose={([by]) => waiting.say({ ordersBy: by as OrdersBy })}
    />{/if}{#if file.merged.length > 0}, blank cells below a filled one
    <WordMenu
      text={waiting.fillDown === null
        ? 'repeating it, or blank?'
        : waiting.fillDown
          ? 'repeating it'
          : 'left blank'}
      title="Blank cells of {file.merged.join(', ')}"
      chosen={[String(waiting.fillDown ?? '')]}
      options={[
        { value: 'true', label: 'repeating it' },
        { value: 'false', label: 'left blank' },
      ]}
      onchoose={([value]) => waiting.say({ fillDown: value === 'true' })}
    />{/if}{#if has.key}, customers known by
    <WordMenu
      text={waiting.namesOnly ? 'name' : KEY_WORDS[waiting.customerKey]}
      title="What customers are known by"
      chosen={[waiting.customerKey]}
      options={keys}
      onchoose={([key]) => waiting.say({ key: key as Schemas['KeyKind'] })}
    />{/if}{#if has.date}, dates read as
    <WordMenu
      text={waiting.dates ? DATE_WORDS[waiting.dates] : 'day or month first?'}
      title="How dates are read"
      chosen={[waiting.dates ?? '']}
      options={dates}
      onchoose={([form]) => waiting.say({ dates: form as DateForm })}
    />{/if}{#if has.date && file.short_year}, years such as in {file.short_year} as
    <WordMenu
      text={waiting.years ? YEAR_WORDS[waiting.years] : 'unclear'}
      title="Years of two digits"
      chosen={[waiting.years ?? '']}
      options={years}
      onchoose={([form]) => waiting.say({ years: form as TwoDigitYears })}
    />{/if}{#if has.amount}, amounts with
    <WordMenu
      text={waiting.decimal ? DECIMAL_WORDS[waiting.decimal] : 'point or comma?'}
      title="What stands before decimals"
      chosen={[waiting.decimal ?? '']}
      options={decimals}
      onchoose={([mark]) => waiting.say({ decimal: mark as DecimalMark })}
    />{/if}.
</span>
