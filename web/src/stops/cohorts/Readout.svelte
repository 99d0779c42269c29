<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { periodName } from '$lib/format/dates';
  import { count, counted, money, percent } from '$lib/format/figures';
  import type { Pointed } from './CohortGrid.svelte';

  let { answer, pointed }: { answer: Schemas['CohortsShape']; pointed: Pointed | null } = $props();

  const unit = $derived(answer.ages === 'calendar' ? answer.period : `span of the ${answer.period}`);
  const words = $derived(pointed ? describe(pointed) : '');

  function range(low: number | null | undefined, high: number | null | undefined): string {
    return typeof low !== 'number' || typeof high !== 'number'
      ? ''
      : ` (95 % range ${percent(low)} to ${percent(high)})`;
  }

  function describe({ row, age }: Pointed): string {
    const later = age === 0 ? `in the first ${unit}` : `${counted(age, unit)} later`;
    if (row < 0) {
      const all = answer.all;
      if (answer.figure !== 'retention') return `All cohorts, ${later}: ${totals(all, age)}`;
      const rate = all.retention_rate[age] ?? null;
      if (rate === null) return `All cohorts, ${later}: no cohort is complete here yet.`;
      const rests = `${counted(all.cohorts[age] ?? 0, 'complete cohort')} of ${counted(all.rests_on_customers[age] ?? 0, 'customer')}`;
      return `All cohorts, ${later}: ${percent(rate, 1)} %${range(all.low[age], all.high[age])}, over ${rests}.`;
    }
    const cohort = answer.cohorts[row];
    if (!cohort || age >= cohort.customers.length) return '';
    const notes = [
      age >= cohort.complete ? 'still running' : '',
      answer.figure === 'retention' && cohort.odd.includes(age) ? 'out of line, look twice' : '',
      cohort.small ? 'small cohort' : '',
    ].filter(Boolean);
    const rate = `${percent(cohort.retention_rate[age] ?? null)} %${range(cohort.low[age], cohort.high[age])}`;
    const who = `${count(cohort.customers[age] ?? 0)} of ${counted(cohort.size, 'customer')}`;
    return [`${periodName(cohort.cohort)}, ${later}: ${who}, ${rate}; ${totals(cohort, age)}`, ...notes].join(
      ' · ',
    );
  }

  function totals(of: { customers: number[]; orders: number[]; revenue: string[] }, age: number): string {
    return `${counted(of.orders[age] ?? 0, 'order')}, ${money(of.revenue[age] ?? '0')} ${answer.currency}`;
  }
</script>

<p class="mt-1 h-6 shrink-0 truncate text-sm" aria-live="polite">
  {#if words}{words}{:else}<span class="quiet"
      >Point at a cell to read it, click it to see who stands behind it.</span
    >{/if}
</p>
