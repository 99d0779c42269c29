<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, percent } from '$lib/format/figures';
  import { inUnits } from '$lib/format/units';
  import WordMenu from '$src/menus/WordMenu.svelte';
  import { firstAge } from './gridLayout';
  import { later } from './readings';
  import { differenceWords, groupWords, onceShare } from './split';

  interface Props {
    answer: Schemas['CohortsShape'];
    split: Schemas['SplitShape'];
    age: number;
    onage: (age: number) => void;
    onchoose: (name: string, values: string[]) => void;
    onopen: (group: string, age: number) => void;
  }
  let { answer, split, age, onage, onchoose, onopen }: Props = $props();
  const ages = $derived(
    Array.from(
      { length: Math.max(0, answer.ages_shown - firstAge(answer)) },
      (_, at) => at + firstAge(answer),
    ),
  );
  const labels = $derived(split.groups.map((group) => ({ value: group.label, label: group.label })));
</script>

<h2 class="text-xl">Groups compared</h2>
<p class="quiet mt-1 text-sm">
  <WordMenu
    text={later(answer, age)}
    title="Age compared"
    chosen={[String(age)]}
    options={ages.map((at) => ({ value: String(at), label: later(answer, at) }))}
    onchoose={([at]) => onage(Number(at))}
  />, each against <WordMenu
    text={split.against}
    title="Compared with"
    chosen={[split.against]}
    options={labels}
    onchoose={(values) => onchoose('against', values)}
  />.
</p>
<ul class="mt-2 grid gap-2" aria-live="polite">
  {#each split.groups as group, at (at)}
    <li class="border-t border-base-300 pt-1.5 text-sm">
      <p class="flex items-baseline justify-between gap-2">
        <span class="font-semibold">{group.label}</span>
        <button class="word text-base" onclick={() => onopen(group.label, age)}
          >{inUnits(group.values[age] ?? null, answer.unit)}</button
        >
      </p>
      <p>
        {groupWords(answer, group, age)}; {percent(onceShare(group))} % of {count(group.customers)} bought once
      </p>
      {#if group.label !== split.against && typeof group.more[age] === 'number'}
        <p class="quiet">{differenceWords(answer, group, age)}</p>
      {/if}
    </li>
  {/each}
</ul>
{#if split.merged > 0}
  <p class="quiet mt-2 text-sm">
    The smallest {split.merged} groups stand together, as “{split.merged} others”.
  </p>
{/if}
