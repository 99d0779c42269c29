<script lang="ts">
  import ChartFrame from '$src/charts/ChartFrame.svelte';
  import TwinTable from '$src/charts/TwinTable.svelte';
  import { amount, type Drawn } from './curves';
  import ProfitCurves from './ProfitCurves.svelte';

  /** Curves of profit per customer, with the same figures as a table. */
  interface Props {
    label: string;
    curves: Drawn[];
    period: string;
    starts?: boolean;
    crossing?: { age: number; words: string } | null;
    hint: string;
    /** What is said at an age, beside the curves' own figures. */
    say?: (age: number) => string;
  }
  let { label, curves, period, starts = true, crossing = null, hint, say }: Props = $props();
  let pointed = $state<number | null>(null);

  const named = $derived(curves.filter((curve) => !curve.faint));
  const words = $derived.by(() => {
    const age = pointed;
    if (age === null) return '';
    const said = named
      .filter((curve) => (curve.profit[age] ?? null) !== null)
      .map((curve) => `${named.length > 1 ? `${curve.name}: ` : ''}${amount(curve.profit[age])}`);
    const beside = say?.(age);
    return [`${period} ${age}`, ...said, ...(beside ? [beside] : [])].join(' · ');
  });
  const rows = $derived(
    Array.from({ length: Math.max(0, ...curves.map((curve) => curve.profit.length)) }, (_, age) => ({
      name: `${period} ${age}`,
      cells: curves.map((curve) => ({
        text: amount(curve.profit[age]),
        ...(curve.open && (curve.profit[age] ?? null) !== null ? { open: () => curve.open?.(age) } : {}),
      })),
    })),
  );
</script>

<ChartFrame {words} {hint}>
  {#snippet twin()}
    <TwinTable {label} first="Age" titles={curves.map((curve) => curve.name)} {rows} />
  {/snippet}
  {#snippet drawing({ width, height })}
    <ProfitCurves
      {label}
      {curves}
      unit="{period}s since the first order"
      {starts}
      {crossing}
      {width}
      {height}
      {pointed}
      onpoint={(age) => (pointed = age)}
    />
  {/snippet}
</ChartFrame>
