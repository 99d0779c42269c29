/** A change that is sent to the server: under way, refused or done; never sent twice while it is under way. */
import { createMutation, useQueryClient } from '@tanstack/svelte-query';
import { problemOf, type Problem } from './api/client';
import { askAnew, seen } from './seen.svelte';

export interface Change<Input> {
  readonly pending: boolean;
  /** Why the last attempt was refused; undefined while another one is under way and after one that was done. */
  readonly problem: Problem | undefined;
  /** Attempt it; gives whether it was done. Nothing is sent while an attempt is under way. */
  run: (input: Input) => Promise<boolean>;
  /** Forget the last refusal. */
  reset: () => void;
}

/** `work` sends the change, `done` is told its answer; then everything that is shown is asked anew, unless it was already
 * because the server told of the change first. Nobody waits for that. */
export function useChange<Input, Output>(
  work: (input: Input) => Promise<Output>,
  done: (output: Output, input: Input) => unknown = () => undefined,
): Change<Input> {
  const client = useQueryClient();
  const mutation = createMutation(() => ({
    mutationFn: work,
    onSuccess: done,
    onMutate: () => seen.now,
    onSettled: (_done, _problem, _input, before) => {
      if (seen.isNews() || seen.now === before) void askAnew(client);
    },
  }));
  let busy = false;
  return {
    get pending() {
      return mutation.isPending;
    },
    get problem() {
      return mutation.error ? problemOf(mutation.error) : undefined;
    },
    async run(input) {
      if (busy) return false;
      busy = true;
      try {
        await mutation.mutateAsync(input);
        return true;
      } catch {
        // it is in `problem`, where the page shows it
        return false;
      } finally {
        busy = false;
      }
    },
    reset: () => mutation.reset(),
  };
}
