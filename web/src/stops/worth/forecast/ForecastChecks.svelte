<script lang="ts">
  import { said } from '$lib/format/reader';
  import { bounds, figure, off, type Forecast } from './said';

  /** What the same method said before, and what came. */
  let { answer }: { answer: Forecast } = $props();
  const MOST = 4;
  /** The furthest horizon, and some before it. */
  function shown<Horizon>(horizons: Horizon[]): Horizon[] {
    const every = Math.max(1, Math.ceil(horizons.length / MOST));
    return horizons.filter((_, at) => (horizons.length - 1 - at) % every === 0);
  }
</script>

{#if answer.checks.length > 0}
  <h2 class="mt-1 text-lg">What it said before, and what came</h2>
  <div class="flex shrink-0 flex-wrap gap-x-10 gap-y-2 text-sm" data-testid="checks">
    {#each answer.checks as check (check.months_ago)}
      <div class="min-w-64 flex-1">
        <p class:text-error={check.bad}>{said(check.words)}</p>
        <table class="w-full">
          <thead class="quiet">
            <tr class="text-right [&>th]:font-normal">
              <th class="text-left" scope="col">next</th><th scope="col">said</th><th scope="col"
                >95 % interval</th
              ><th scope="col">came</th><th scope="col">error</th>
            </tr>
          </thead>
          <tbody>
            {#each shown(check.horizons) as horizon (horizon.months)}
              <tr class="text-right">
                <th class="text-left font-normal" scope="row">{horizon.months} months</th>
                <td>{figure(answer, horizon.value)}</td>
                <td class:text-error={!horizon.held}>{bounds(answer, horizon) || '—'}</td>
                <td class="font-semibold">{figure(answer, horizon.came)}</td>
                <td>{off(horizon.error)}</td>
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
    {/each}
  </div>
{/if}
