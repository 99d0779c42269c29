<script lang="ts">
  import { createQuery } from '@tanstack/svelte-query';
  import { openSession } from '$lib/api/client';
  import type { Intake } from './intake.svelte';

  let { intake }: { intake: Intake } = $props();
  let over = $state(false);
  const session = createQuery(() => ({ queryKey: ['session'], queryFn: openSession }));

  function take(files: FileList | null | undefined): void {
    const chosen = files?.[0];
    if (chosen) void intake.send(chosen);
  }

  function dropped(event: DragEvent): void {
    event.preventDefault();
    over = false;
    take(event.dataTransfer?.files);
  }
</script>

<label
  class="grid cursor-pointer place-items-center gap-2 rounded-box border-2 border-dashed bg-base-100 px-6 py-12 text-center"
  class:border-accent={over}
  class:border-base-300={!over}
  ondragover={(event) => {
    event.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={dropped}
>
  <span class="text-lg">{intake.sending ? 'Looking at the file…' : 'Drop a file here, or choose one'}</span>
  <input
    type="file"
    class="file-input"
    accept=".csv,.tsv,.txt,text/csv"
    disabled={intake.sending}
    onchange={(event) => {
      take(event.currentTarget.files);
      event.currentTarget.value = '';
    }}
  />
  <span class="quiet max-w-lg"
    >CSV with a header row; dates and amounts as your country writes them.
    {#if session.data}Up to {session.data.upload_limit_mib} MiB; larger ones with
      <code>goldthread deliver</code>.{/if}</span
  >
</label>
<dl class="grid max-w-3xl grid-cols-[9rem_1fr] gap-x-4 gap-y-2">
  <dt class="font-semibold">Orders</dt>
  <dd>
    One row an order: its number, the customer, the date, the amount. A status and a currency are read too.
  </dd>
  <dt class="font-semibold">Order lines</dt>
  <dd>
    Several rows an order: they are rolled up before anything is counted, so lines are never taken for orders.
  </dd>
  <dt class="font-semibold">Customers</dt>
  <dd>
    Names, numbers and e-mails, so that one person met in two places is one customer, and nobody without an
    order is lost.
  </dd>
</dl>
