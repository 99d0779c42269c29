/** Work on a list: what is done is sent, and the last of it can be taken back. */
import { answerOf, api, type Schemas } from '$lib/api/client';
import { useChange } from '$lib/change.svelte';

export type Done = Omit<Partial<Schemas['DoneBody']>, 'by'>;

interface Put {
  customer: number;
  done: Done;
}

export function useWorking(where: () => { book: number; list: number }) {
  let last = $state<number | null>(null);
  let turn = Promise.resolve(true);
  const put = useChange(
    ({ customer, done }: Put) => {
      const { book, list } = where();
      return answerOf(
        api.PUT('/api/books/{book}/lists/{list}/members/{customer}', {
          params: { path: { book, list, customer } },
          body: done as Schemas['DoneBody'],
        }),
      );
    },
    (worked) => {
      last = worked.action;
    },
  );
  const back = useChange(
    (action: number) =>
      answerOf(
        api.POST('/api/books/{book}/lists/{list}/undo', {
          params: { path: where() },
          body: { action } as Schemas['UndoBody'],
        }),
      ),
    (_, action) => {
      if (last === action) last = null;
    },
  );
  return {
    get pending() {
      return put.pending || back.pending;
    },
    get problem() {
      return put.problem ?? back.problem;
    },
    get undoable() {
      return last !== null;
    },
    /** In turn: what is done while something is on its way waits for it. */
    work: (customer: number, done: Done) => {
      turn = turn.then(() => put.run({ customer, done }));
      return turn;
    },
    undo: (action?: number) =>
      action === undefined && last === null ? Promise.resolve(false) : back.run(action ?? last ?? 0),
  };
}
