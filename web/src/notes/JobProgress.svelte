<script lang="ts">
  import type { Schemas } from '$lib/api/client';
  import { count, duration } from '$lib/format/figures';

  let { job, onstop }: { job: Schemas['JobShape']; onstop?: () => void } = $props();
  const PHASES: Record<string, string> = {
    waiting: 'Waiting for other work to end',
    unpacking: 'Unpacking',
    converting: 'Reading the file’s tables',
    looking: 'Looking at every row',
    reading: 'Checking rows',
    writing: 'Writing into the book',
    settling: 'Matching customers, step',
    committing: 'Finishing',
    'bringing forward': 'Reading the book again',
    importing: 'Importing rows',
    exporting: 'Taking rows out',
    finding: 'Finding what is to go',
    removing: 'Removing records',
    customers: 'Keeping customers',
  };
</script>

<div class="my-3 grid gap-2">
  <!-- what it is at is announced, and not every row of it -->
  <p>
    <span role="status">{PHASES[job.phase] ?? job.phase}</span>{#if job.total > 0}: {count(job.done)} of {count(
        job.total,
      )}{/if}{#if job.seconds_left !== null && job.seconds_left >= 1}, {duration(job.seconds_left)} left{/if}
  </p>
  <progress
    class="progress progress-accent w-full"
    value={job.total > 0 ? job.done : undefined}
    max={Math.max(1, job.total)}
    aria-label="Progress"
  ></progress>
  {#if onstop}<button class="word justify-self-start text-sm" onclick={onstop}
      >Stop, and change nothing</button
    >{/if}
</div>
