<script lang="ts">
  import { handOver, problemOf, type Problem } from '$lib/api/client';
  import { download } from '$lib/download';
  import type { Job } from '$lib/jobs';
  import Making from '$lib/Making.svelte';
  import { searchOf } from '$lib/search';
  import { pngOf, svgOf } from '$lib/picture/draw';
  import { pictureOf } from '$lib/picture/marks';
  import WordMenu from './WordMenu.svelte';

  interface Props {
    /** The address of the table as a file. */
    file: string;
    query: object;
    name: string;
    /** Further ways to lay the table out, by what the address calls them. */
    layouts?: { value: string; label: string }[];
    /** What a picture is taken of. */
    drawing: HTMLElement | undefined;
    question: string;
    reading: string;
  }
  let { file, query, name, layouts = [], drawing, question, reading }: Props = $props();

  const FORMS = [
    { value: 'csv', label: 'CSV' },
    { value: 'xlsx', label: 'XLSX, with real numbers' },
    { value: 'parquet', label: 'Parquet' },
  ];
  const tables = $derived(
    layouts.length
      ? layouts.flatMap((layout) =>
          FORMS.map((form) => ({
            value: `${form.value} ${layout.value}`,
            label: `${form.label}, ${layout.label}`,
          })),
        )
      : FORMS,
  );
  const options = $derived([
    ...tables,
    { value: 'svg', label: 'Picture, SVG' },
    { value: 'png', label: 'Picture, PNG' },
  ]);

  let problem = $state.raw<Problem>();
  let making = $state(false);
  let job = $state.raw<Job>();

  /** A file that cannot be made says so here; the page stays as it is. */
  async function fetched(path: string): Promise<void> {
    problem = undefined;
    making = true;
    try {
      await download(path, (now) => (job = now));
    } catch (error) {
      problem = problemOf(error);
    } finally {
      making = false;
      job = undefined;
    }
  }

  async function take(what: string): Promise<void> {
    const [form = 'csv', layout] = what.split(' ');
    if (form !== 'svg' && form !== 'png') {
      await fetched(`${file}?${searchOf(query, { form, ...(layout ? { layout } : {}) })}`);
      return;
    }
    if (!drawing) return;
    const picture = pictureOf(drawing, question, reading);
    const content =
      form === 'svg' ? new Blob([svgOf(picture)], { type: 'image/svg+xml' }) : await pngOf(picture);
    handOver(content, `${name}.${form}`);
  }
</script>

<span class="not-printed"
  >take <WordMenu
    text="this"
    title="This as a file"
    chosen={[]}
    {options}
    onchoose={([what = 'csv']) => void take(what)}
  /><Making {making} {job} />{#if problem}<span class="ml-2 text-error" role="alert"
      >{problem.detail} {problem.remedy}</span
    >{/if}</span
>
