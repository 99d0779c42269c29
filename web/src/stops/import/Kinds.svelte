<script lang="ts">
  /** What can be imported, for somebody whose book is still empty. */
</script>

<dl class="grid max-w-3xl grid-cols-[9rem_1fr] gap-x-4 gap-y-2">
  <dt class="font-semibold">Orders</dt>
  <dd>
    One row an order: its number, the customer, the date, the amount. A status, a currency, a sales rep and a
    channel are read too.
  </dd>
  <dt class="font-semibold">Order lines</dt>
  <dd>
    Several rows an order: they are rolled up before anything is counted, so lines are never taken for orders.
  </dd>
  <dt class="font-semibold">Customers</dt>
  <dd>
    Names, numbers and e-mails, so that one person met in two places is one customer, and nobody without an
    order is lost. Further columns are kept.
  </dd>
  <dt class="font-semibold">Payments</dt>
  <dd>Who paid what and when, with or without the order it was for.</dd>
  <dt class="font-semibold">Spend</dt>
  <dd>What was spent per month and channel to win customers.</dd>
  <dt class="font-semibold">Events</dt>
  <dd>Campaigns, price changes, stock-outs: what may explain a spike.</dd>
</dl>
