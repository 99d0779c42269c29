<script lang="ts">
  import type { Problem } from '$lib/api/client';

  let { problem }: { problem: Problem } = $props();
</script>

<div role="alert" class="alert alert-soft alert-error justify-items-start gap-1 text-base-content">
  <div>
    <p class="font-semibold text-error">{problem.title}</p>
    <p>{problem.detail} <span class="quiet">{problem.remedy}</span></p>
  </div>
</div>
