<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { question } from '$lib/question.svelte';
  import Band from '../Band.svelte';
  import StandingGroups from './StandingGroups.svelte';
  import StandingsOver from './StandingsOver.svelte';

  let { answer }: { answer: Schemas['StandingShape'] } = $props();
</script>

{#if answer.over}
  <StandingsOver {answer} over={answer.over} />
{:else if answer.groups.length > 0}
  <StandingGroups {answer} />
{:else}
  <div class="pt-2">
    <Band
      standings={answer.standings}
      label="Where customers stand"
      height={72}
      opened={question.opened[0]}
      onopen={(stands) => question.open(stands)}
    />
  </div>
{/if}
