<script lang="ts">
  import { address } from '$lib/address.svelte';
  import type { Rows } from '$lib/answer.svelte';
  import type { Schemas } from '$lib/api/client';
  import { question } from '$lib/question.svelte';
  import RevenueCloth from './RevenueCloth.svelte';
  import TopRows from './TopRows.svelte';

  interface Props {
    book: Schemas['BookShape'];
    answer: Schemas['TopCustomersShape'];
    rows: Rows<Schemas['TopCustomerShape']>;
  }
  let { book, answer, rows }: Props = $props();
</script>

<RevenueCloth {answer} opened={question.opened[0]} onopen={(largest) => question.open(largest)} />
<TopRows {answer} {rows} onopen={(customer) => address.visitCustomer(book.id, customer)} />
