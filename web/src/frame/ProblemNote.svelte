<script lang="ts">
  import type { Problem } from '$lib/api/client';

  let { problem }: { problem: Problem } = $props();
</script>

<div role="alert" class="border-l-4 border-error bg-base-100 px-4 py-2">
  <p class="font-semibold text-error">{problem.title}</p>
  <p>{problem.detail} <span class="quiet">{problem.remedy}</span></p>
</div>
