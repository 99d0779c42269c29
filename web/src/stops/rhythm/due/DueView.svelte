<script lang="ts">
  import type { Rows } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import DueCalendar from './DueCalendar.svelte';
  import DueRows from './DueRows.svelte';

  interface Props {
    book: Schemas['BookShape'];
    answer: Schemas['DueShape'];
    rows: Rows<Schemas['DueRowShape']>;
  }
  let { book, answer, rows }: Props = $props();
</script>

<DueCalendar {answer} />
<DueRows {book} {answer} {rows} />
