/** Bounds of the figures that are watched, for the charts that draw these figures. */
import { createQuery } from '@tanstack/svelte-query';
import { address } from './address.svelte';
import { answerOf, api } from './api/client';
import { me } from './me.svelte';
import { outside } from './outside.svelte';
import { question } from './question.svelte';
import { searchOf } from './search';

export interface Target {
  /** Which figure it is of, as the evidence names it. */
  figure: Record<string, string>;
  bound: number;
}

/** What names a figure of an answer; everything else is the question's. */
const OF_FIGURE = ['cohort', 'age', 'at', 'side', 'group'];
const sorted = (query: URLSearchParams) => {
  query.sort();
  return query.toString();
};

/** The targets of figures of the question that is open, asked with the same choices. */
export function useTargets(): { readonly all: Target[] } {
  const schedules = createQuery(() => ({
    queryKey: ['schedules', address.book],
    queryFn: () =>
      answerOf(api.GET('/api/books/{book}/schedules', { params: { path: { book: Number(address.book) } } })),
    enabled: address.book !== undefined && outside.link === undefined && me.may('import and correct'),
  }));
  const all = $derived.by(() => {
    const here = sorted(new URLSearchParams(searchOf(question.figures)));
    return (schedules.data?.schedules ?? []).flatMap(({ question: of, query, bound }) => {
      if (of !== question.name || bound === null) return [];
      const choices = new URLSearchParams(query);
      const figure: Record<string, string> = {};
      for (const name of OF_FIGURE) {
        const value = choices.get(name);
        if (value !== null) figure[name] = value;
        choices.delete(name);
      }
      return sorted(choices) === here ? [{ figure, bound }] : [];
    });
  });
  return {
    get all() {
      return all;
    },
  };
}
