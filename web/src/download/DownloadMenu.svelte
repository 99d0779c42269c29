<script lang="ts">
  import { count } from '$lib/format/figures';
  import { MOST_PRINTED, printing } from '$lib/printing.svelte';
  import { searchOf } from '$lib/search';
  import WordMenu from '$src/menus/WordMenu.svelte';
  import { Download } from './download.svelte';
  import DownloadState from './DownloadState.svelte';
  import { handOver } from './handOver';

  interface Table {
    /** The address of the table as a file. */
    file: string;
    query: object;
    label: string;
  }
  interface Props {
    /** The tables that can be taken, the one that is shown first. */
    tables: Table[];
    /** What a picture is called, and what it is taken of. */
    name: string;
    drawing: HTMLElement | undefined;
    question: string;
    reading: string;
  }
  let { tables, name, drawing, question, reading }: Props = $props();

  const FORMS = [
    { value: 'csv', label: 'CSV' },
    { value: 'xlsx', label: 'XLSX, with real dates and numbers' },
    { value: 'parquet', label: 'Parquet' },
  ];
  const PICTURES = ['svg', 'png'];
  const PRINT = 'print';
  const options = $derived([
    ...tables.flatMap((table, at) =>
      FORMS.map((form) => ({
        value: `${form.value} ${at}`,
        label: table.label ? `${form.label}, ${table.label}` : form.label,
      })),
    ),
    { value: PRINT, label: `Print, up to ${count(MOST_PRINTED)} rows` },
    ...PICTURES.map((form) => ({ value: form, label: `Picture, ${form.toUpperCase()}` })),
  ]);
  const download = new Download();

  async function picture(form: string): Promise<void> {
    if (!drawing) return;
    const [{ pictureOf }, { pngOf, svgOf }] = await Promise.all([
      import('./picture/marks'),
      import('./picture/draw'),
    ]);
    const drawn = pictureOf(drawing, question, reading);
    const content = form === 'svg' ? new Blob([svgOf(drawn)], { type: 'image/svg+xml' }) : await pngOf(drawn);
    handOver(content, `${name}.${form}`);
  }

  function take(what: string): void {
    const [form = 'csv', at = ''] = what.split(' ');
    const table = tables[Number(at)];
    if (form === PRINT) void printing.print();
    else if (PICTURES.includes(form)) void download.run(() => picture(form));
    else if (table) void download.fetch(`${table.file}?${searchOf(table.query, { form })}`);
  }
</script>

<span class="not-printed"
  ><WordMenu
    text="download"
    title="This table or picture as a file"
    {options}
    acts
    onchoose={([what = 'csv']) => take(what)}
  /><DownloadState {download} /></span
>
